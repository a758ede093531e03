<script setup lang="ts">
import Button from 'primevue/button'
import Checkbox from 'primevue/checkbox'
import InputText from 'primevue/inputtext'
import { onMounted, reactive, ref, watch } from 'vue'

import { api, taken, type Schemas } from '../api/client'
import { moment } from '../common/due'
import { tryingWith } from '../common/trying'
import { useSaying } from '../common/useSaying'
import { useSession } from '../common/useSession'
import PageHead from '../parts/PageHead.vue'
import PasswordField from '../parts/PasswordField.vue'
import Ruler from '../parts/Ruler.vue'

const { person, ask } = useSession()
const { say, sayError } = useSaying()
const trying = tryingWith(sayError)
/** From the darkest to the lightest grey that leaves what lies on it readable. */
const SURROUND: Schemas['ShownRuler'] = {
  kind: 'ruler', param: 'surround', name: 'surround', unit: '', step: 1, low: 58, high: 242, rest: 119, times: 1, plus: 0, ends: ['dark', 'light'],
  scale: 'linear',
}
const own = reactive({ name: '', surround: 0x77, hints: true })
const password = reactive({ old: '', new: '' })
const sessions = ref<Schemas['SessionRow'][]>([])

watch(person, (now) => now && Object.assign(own, { name: now.name, ...now.likes }), { immediate: true })
onMounted(() => trying(async () => { sessions.value = taken(await api.GET('/api/me/sessions')) }))

const keep = () =>
  trying(async () => {
    const { name, surround, hints } = own
    taken(await api.PUT('/api/me', { body: { name, likes: { surround, hints } } }))
    await ask()
    say('Kept.')
  })
const setPassword = () =>
  trying(async () => {
    taken(await api.PUT('/api/me/password', { body: { ...password } }))
    Object.assign(password, { old: '', new: '' })
    sessions.value = taken(await api.GET('/api/me/sessions'))
    say('The new password holds. You are signed out everywhere else.')
  })
const strength = async (thought: string) =>
  (await api.POST('/api/me/strength', { body: { password: thought, about: [own.name, person.value?.sign_in ?? ''] } })).data
const end = (session: string) =>
  trying(async () => {
    sessions.value = taken(await api.DELETE('/api/me/sessions/{session}', { params: { path: { session } } }))
  })

/** A browser and its system, as far as it says so. */
function browser(agent: string): string {
  const name = /(Firefox|Edg|Chrome|Safari)\//.exec(agent)?.[1]
  const system = /(Windows|Mac OS X|Android|iPhone|iPad|Linux)/.exec(agent)?.[1]
  return [name === 'Edg' ? 'Edge' : name, system === 'Mac OS X' ? 'Mac' : system].filter(Boolean).join(' on ') || 'a program'
}
</script>

<template>
  <PageHead number="FERN TICKET" to="/" title="You" :under="person?.sign_in ? `signs in as ${person.sign_in}` : ''" />
  <main class="me">
    <form class="paper" aria-label="About you" @submit.prevent="keep">
      <h2 class="heading">About you</h2>
      <label>name <InputText v-model="own.name" required :maxlength="80" /></label>
      <Ruler
        v-tooltip.top="'The grey around the picture on the bench'" :ruler="SURROUND" :value="own.surround" @drag="own.surround = $event"
        @settle="own.surround = $event"
      />
      <div class="sample" :style="{ background: `rgb(${own.surround} ${own.surround} ${own.surround})` }"><i></i></div>
      <span class="choice"><Checkbox v-model="own.hints" binary input-id="hints" /> <label for="hints">tools say their keys</label></span>
      <Button type="submit" label="Keep" class="act" />
    </form>
    <form class="paper" aria-label="Password" @submit.prevent="setPassword">
      <h2 class="heading">Password</h2>
      <label>the old one <InputText v-model="password.old" type="password" required autocomplete="current-password" /></label>
      <PasswordField v-model="password.new" label="the new one" :ask="strength" />
      <Button type="submit" label="Set it" severity="secondary" class="act" />
    </form>
    <section class="paper" aria-label="Signed in">
      <h2 class="heading">Signed in</h2>
      <p v-for="one in sessions" :key="one.id" class="row">
        <span>{{ browser(one.agent) }} <span class="soft">from {{ one.address || 'here' }}, seen {{ moment(one.seen_at) }}</span></span>
        <strong v-if="one.this_one">this one</strong>
        <Button v-else link label="sign out there" @click="end(one.id)" />
      </p>
    </section>
  </main>
</template>

<style scoped>
.me { padding: 14px 16px; display: grid; grid-template-columns: repeat(auto-fit, minmax(300px, 1fr)); gap: 14px; align-items: start; max-width: 1180px; }
.paper { padding: 14px; background: var(--paper); border-radius: 3px; display: grid; gap: 10px; }
.paper > label { display: grid; gap: 3px; font-weight: 600; }
.sample { height: 64px; display: grid; place-items: center; border-radius: 3px; }
.sample i { width: 84px; height: 44px; background: linear-gradient(90deg, #000, #fff); }
.act { justify-self: start; }
.row { display: flex; justify-content: space-between; gap: 10px; align-items: baseline; min-height: 26px; }
</style>
