<script setup lang="ts">
import Button from 'primevue/button'
import InputText from 'primevue/inputtext'
import { onMounted, ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'

import { api, type Schemas } from '../api/client'
import { useSession } from '../common/useSession'
import PaperDoor from '../parts/PaperDoor.vue'

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
  <PaperDoor says="Photos made to the measure of a slip." @enter="enter">
    <h1>Sign in</h1>
    <label for="name">Name</label>
    <InputText id="name" v-model="name" autocomplete="username" autofocus required />
    <label for="password">Password</label>
    <InputText id="password" v-model="password" type="password" autocomplete="current-password" required />
    <p class="problem" role="alert">{{ problem }}</p>
    <Button type="submit" label="Sign in" :loading="busy" />
    <p v-if="welcome?.nobody_yet && !welcome.demo_sign_in" class="nobody">
      Nobody is here yet. The first person begins at the address that <b class="number">./fern start</b> printed; with
      <b class="number">./fern person add</b> on the command line it goes too.
    </p>
    <div v-if="welcome?.demo_sign_in" class="demo">
      <span>Demo: <b class="number">{{ welcome.demo_sign_in }}</b> · <b class="number">{{ welcome.demo_password }}</b></span>
      <Button severity="secondary" label="Fill in" @click="takeDemo" />
    </div>
  </PaperDoor>
</template>

<style scoped>
.demo {
  display: flex; flex-wrap: wrap; justify-content: space-between; align-items: center; gap: 0 5px; margin-top: 18px; padding-top: 12px;
  border-top: 1px dashed var(--rule);
}
.nobody { margin-top: 18px; padding-top: 12px; border-top: 1px dashed var(--rule); }
</style>
