<script setup lang="ts">
import Button from 'primevue/button'
import InputText from 'primevue/inputtext'
import { onMounted, reactive, ref } from 'vue'
import { useRouter } from 'vue-router'

import { api, said, taken } from '../api/client'
import { useSession } from '../common/useSession'
import PaperDoor from '../parts/PaperDoor.vue'
import PasswordField from '../parts/PasswordField.vue'

const props = defineProps<{ token: string }>()
const path = { token: props.token }
const router = useRouter()
const { person } = useSession()
const form = reactive({ studio: '', name: '', sign_in: '', password: '' })
const problem = ref('')
const busy = ref(false)
const good = ref<boolean | null>(null)

onMounted(async () => {
  good.value = (await api.GET('/api/first/{token}', { params: { path } })).data?.good ?? null
})
/** What somebody is called when signing in: the first name, in small letters. */
function propose() {
  if (form.sign_in) return
  form.sign_in = (form.name.trim().split(/\s+/)[0] ?? '').normalize('NFD').toLowerCase().replace(/[^a-z0-9._-]/g, '')
}
async function ask(password: string) {
  const body = { password, about: [form.studio, form.name, form.sign_in] }
  return (await api.POST('/api/first/{token}/strength', { params: { path }, body })).data
}
async function begin() {
  busy.value = true
  problem.value = ''
  try {
    person.value = taken(await api.POST('/api/first/{token}', { params: { path }, body: { ...form } }))
    await router.push('/')
  } catch (error) {
    problem.value = said(error)
  }
  busy.value = false
}
</script>

<template>
  <PaperDoor says="A studio begins: its name, and the first person, who leads." @enter="begin">
    <template v-if="good === false">
      <h1>This address was good once</h1>
      <p>Somebody has begun here. Sign in, or ask those who lead to add you.</p>
      <Button as="router-link" to="/sign-in" label="To the sign-in" class="there" />
    </template>
    <template v-else>
      <h1>Begin</h1>
      <label for="studio">The studio is called</label>
      <InputText id="studio" v-model="form.studio" required :maxlength="80" autofocus />
      <label for="name">Your name</label>
      <InputText id="name" v-model="form.name" required :maxlength="80" autocomplete="name" @blur="propose" />
      <label for="sign-in">You sign in as</label>
      <InputText
        id="sign-in" v-model="form.sign_in" required pattern="[a-z0-9][a-z0-9._\-]+" title="Small letters, figures, dot, hyphen" :maxlength="60"
        autocomplete="username"
      />
      <PasswordField v-model="form.password" label="Password" :ask="ask" />
      <p class="problem" role="alert">{{ problem }}</p>
      <Button type="submit" label="Begin with an empty board" :loading="busy" />
    </template>
  </PaperDoor>
</template>

<style scoped>
.there { margin-top: 16px; align-self: start; }
</style>
