<script setup lang="ts">
import Button from 'primevue/button'
import InputText from 'primevue/inputtext'
import { onMounted, ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'

import { api, type Schemas } from '../api/client'
import { useSession } from '../common/useSession'

const { signIn } = useSession()
const route = useRoute()
const router = useRouter()
const name = ref('')
const password = ref('')
const problem = ref('')
const busy = ref(false)
const welcome = ref<Schemas['Welcome'] | null>(null)

onMounted(async () => {
  const { data } = await api.GET('/api/welcome')
  welcome.value = data ?? null
})

function takeDemo() {
  name.value = welcome.value?.demo_sign_in ?? ''
  password.value = welcome.value?.demo_password ?? ''
}

async function enter() {
  busy.value = true
  problem.value = ''
  try {
    problem.value = (await signIn(name.value, password.value)) ?? ''
  } catch {
    problem.value = 'The server cannot be reached. Check that the application runs.'
  }
  busy.value = false
  const to = route.query.to
  if (!problem.value) await router.push(typeof to === 'string' && /^\/(?!\/)/.test(to) ? to : '/')
}
</script>

<template>
  <main class="page">
    <div class="ticket">
      <div class="stub">
        <svg viewBox="0 0 22 28" width="34" height="44" aria-hidden="true"><path d="M11 27V3m0 6c2-4 6-4 9-4-1 4-5 6-9 4m0 7c2-4 6-4 9-4-1 4-5 6-9 4m0 7c2-4 6-4 9-4-1 4-5 6-9 4m0-14C9 5 5 5 2 5c1 4 5 6 9 4m0 7c-2-4-6-4-9-4 1 4 5 6 9 4m0 7c-2-4-6-4-9-4 1 4 5 6 9 4" /></svg>
        <strong>FERN TICKET</strong>
        <p>Photos made to the measure of a slip.</p>
      </div>
      <form class="form" @submit.prevent="enter">
        <h1>Sign in</h1>
        <label for="name">Name</label>
        <InputText id="name" v-model="name" autocomplete="username" autofocus required />
        <label for="password">Password</label>
        <InputText id="password" v-model="password" type="password" autocomplete="current-password" required />
        <p class="problem" role="alert">{{ problem }}</p>
        <Button type="submit" label="Sign in" :loading="busy" />
        <div v-if="welcome?.demo_sign_in" class="demo">
          <span>Demo: <b class="number">{{ welcome.demo_sign_in }}</b> · <b class="number">{{ welcome.demo_password }}</b></span>
          <Button severity="secondary" label="Fill in" @click="takeDemo" />
        </div>
      </form>
    </div>
  </main>
</template>

<style scoped>
.page { height: 100%; display: grid; place-items: center; }
.ticket { display: flex; width: min(640px, 100%); box-shadow: 0 1px 0 var(--rule); }
.stub {
  width: 224px; padding: 26px 30px 26px 22px; background: var(--fern); color: #fff;
  border-radius: 3px 0 0 3px;
  mask: radial-gradient(circle 5px at right, #0000 98%, #000) 0 0 / 100% 14px;
}
.stub svg { display: block; margin-bottom: 40px; fill: none; stroke: #fff; stroke-width: 1.5; stroke-linejoin: round; stroke-linecap: round; }
.stub strong { font: 700 19px/1.2 var(--mono); letter-spacing: 0.03em; }
.stub p { margin-top: 8px; }
.form { flex: 1; display: flex; flex-direction: column; padding: 26px 34px 22px; background: var(--paper); border-radius: 0 3px 3px 0; }
@media (max-width: 620px) {
  .ticket { flex-direction: column; margin: 0 10px; width: calc(100% - 20px); }
  .stub { width: auto; padding: 16px 22px; mask: none; border-radius: 3px 3px 0 0; }
  .stub svg { display: none; }
  .form { padding: 18px 22px; }
}
h1 { font-size: 18px; margin-bottom: 12px; }
label { margin: 8px 0 3px; font-weight: 600; }
.problem { min-height: 34px; padding-top: 8px; color: var(--short); }
.demo { display: flex; justify-content: space-between; align-items: center; margin-top: 18px; padding-top: 12px; border-top: 1px dashed var(--rule); }
</style>
