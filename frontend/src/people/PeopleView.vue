<script setup lang="ts">
import Button from 'primevue/button'
import DataView from 'primevue/dataview'
import Dialog from 'primevue/dialog'
import InputText from 'primevue/inputtext'
import Message from 'primevue/message'
import Select from 'primevue/select'
import { computed, onMounted, reactive, ref } from 'vue'

import { api, taken, type Schemas } from '../api/client'
import { dueText, moment } from '../common/due'
import { tryingWith } from '../common/trying'
import { useAsking } from '../common/useAsking'
import { useSaying } from '../common/useSaying'
import { useSession } from '../common/useSession'
import PageHead from '../parts/PageHead.vue'
import PasswordField from '../parts/PasswordField.vue'

type Person = Schemas['PersonRow']
type Role = Person['role']
const ROLES: { role: Role; label: string }[] = [
  { role: 'editor', label: 'edits' },
  { role: 'lead', label: 'edits and leads' },
]
const { sayError, say } = useSaying()
const trying = tryingWith(sayError)
const asking = useAsking()
const { person: me } = useSession()
const people = ref<Person[] | null>(null)
const work = ref<Schemas['AtWork'][]>([])
const problem = ref(false)
const words = ref('')
const fresh = reactive({ sign_in: '', name: '', role: 'editor' as Role, password: '' })
/** Whose name and password are being changed. */
const changing = ref<Person | null>(null)
const changed = reactive({ name: '', password: '' })
const shown = computed(() => {
  const wanted = words.value.trim().toLowerCase()
  return (people.value ?? []).filter((one) => `${one.name} ${one.sign_in}`.toLowerCase().includes(wanted))
})

onMounted(async () => {
  try {
    people.value = taken(await api.GET('/api/people'))
    work.value = (await api.GET('/api/people-at-work')).data ?? []
  } catch (error) {
    problem.value = true
    sayError(error)
  }
})
const act = (doing: () => Promise<Person[]>, said: string) =>
  trying(async () => {
    people.value = await doing()
    say(said)
    return true
  })
const add = () =>
  act(async () => {
    const answer = taken(await api.POST('/api/people', { body: { ...fresh } }))
    Object.assign(fresh, { sign_in: '', name: '', password: '' })
    return answer
  }, `${fresh.name} can sign in now.`)
const change = (person: Person, body: Schemas['Change'], said: string) =>
  act(async () => taken(await api.PUT('/api/people/{person}', { params: { path: { person: person.id } }, body })), said)
const setActive = (person: Person, active: boolean) =>
  change(person, { inactive: !active }, `${person.name} is ${active ? 'active again' : 'inactive, and signed out'}.`)
function open(person: Person) {
  changing.value = person
  Object.assign(changed, { name: person.name, password: '' })
}
async function keep() {
  const person = changing.value
  if (!person) return
  const password = changed.password || undefined
  const body = { name: changed.name, password }
  const said = password ? `${changed.name} has a new password, and is signed out everywhere.` : `${changed.name} is kept.`
  if (await change(person, body, said)) changing.value = null
}
function remove(person: Person) {
  asking(
    `Remove ${person.name}?`,
    'Somebody who has worked here cannot be removed, only be set inactive.',
    'Remove',
    () =>
      act(async () => taken(await api.DELETE('/api/people/{person}', { params: { path: { person: person.id } } })), `${person.name} is removed.`),
  )
}
const strength = async (password: string) =>
  (await api.POST('/api/me/strength', { body: { password, about: [fresh.name, fresh.sign_in, changed.name] } })).data
const isMe = (person: Person) => person.sign_in === me.value?.sign_in
function doing(person: Person): string {
  const todo = work.value.find((one) => one.id === person.id)
  if (person.inactive) return 'inactive'
  if (person.on_the_bench.length) return `on the bench: ${person.on_the_bench.map((one) => `${one.number} ${one.title}`).join(', ')}`
  return person.seen_at ? `seen ${moment(person.seen_at)}` : todo ? '' : 'never signed in'
}
function due(person: Person): string {
  const todo = work.value.find((one) => one.id === person.id)
  if (!todo?.next_due) return 'nothing due'
  return `${todo.tickets} ${todo.tickets === 1 ? 'ticket' : 'tickets'}, next ${dueText(todo.next_due)}`
}
</script>

<template>
  <PageHead number="FERN TICKET" to="/" title="People" under="who signs in">
    <Button as="a" link label="hours of ninety days as CSV" href="/api/hours.csv" />
  </PageHead>
  <main class="people">
    <Message v-if="problem" severity="error">Only those who lead see this.</Message>
    <template v-else-if="people">
      <InputText v-if="people.length > 8" v-model="words" type="search" placeholder="name" aria-label="Find people by name" />
      <DataView :value="shown" data-key="id" :paginator="shown.length > 40" :rows="40" class="table">
        <template #empty><p class="row">Nobody is called that.</p></template>
        <template #list="{ items }: { items: Person[] }">
          <div v-for="person in items" :key="person.id" class="row" :class="{ away: person.inactive }">
            <span><strong>{{ person.name }}</strong> <span class="number soft">{{ person.sign_in }}</span></span>
            <span class="soft">{{ due(person) }}</span>
            <span class="soft doing">{{ doing(person) }}</span>
            <Select
              :model-value="person.role" :options="ROLES" option-label="label" option-value="role" :aria-label="`What ${person.name} does`"
              :disabled="person.inactive || isMe(person)" @update:model-value="change(person, { role: $event }, `${person.name}: ${$event}.`)"
            />
            <span class="acts">
              <Button severity="secondary" label="Change" :aria-label="`Change ${person.name}`" @click="open(person)" />
              <template v-if="!isMe(person)">
                <Button
                  severity="secondary" :label="person.inactive ? 'Set active' : 'Set inactive'"
                  :aria-label="`Set ${person.inactive ? 'active' : 'inactive'}: ${person.name}`" @click="setActive(person, person.inactive)"
                />
                <Button link label="remove" :aria-label="`Remove ${person.name}`" @click="remove(person)" />
              </template>
            </span>
          </div>
        </template>
      </DataView>
      <form class="card" aria-label="Somebody new" @submit.prevent="add">
        <h2 class="heading">Somebody new</h2>
        <label>name <InputText v-model="fresh.name" required :maxlength="80" /></label>
        <label>signs in as
          <InputText
            v-model="fresh.sign_in" v-tooltip.top="'small letters, figures, dot, hyphen'" required pattern="[a-z0-9][a-z0-9._\-]*" :maxlength="60"
          />
        </label>
        <label>does <Select v-model="fresh.role" :options="ROLES" option-label="label" option-value="role" aria-label="What they do" /></label>
        <PasswordField v-model="fresh.password" label="password" :ask="strength" />
        <Button type="submit" label="Add" class="add" />
      </form>
    </template>
    <Dialog :visible="changing !== null" modal :header="changing?.name" @update:visible="changing = null">
      <form class="change" @submit.prevent="keep">
        <label>name <InputText v-model="changed.name" required :maxlength="80" /></label>
        <PasswordField v-model="changed.password" label="new password, or nothing" optional :ask="strength" />
        <div class="acts">
          <Button severity="secondary" label="Leave it" @click="changing = null" />
          <Button type="submit" label="Keep" />
        </div>
      </form>
    </Dialog>
  </main>
</template>

<style scoped>
.people { padding: 14px 16px; display: grid; gap: 14px; justify-items: start; }
.table { width: 100%; max-width: 1240px; }
.row {
  display: grid; grid-template-columns: minmax(180px, 1.2fr) 190px minmax(0, 1.4fr) 150px auto; gap: 14px; align-items: center;
  padding: 7px 14px; margin-bottom: 4px;
  background: var(--paper); border-radius: 3px;
}
.row.away strong { font-weight: 400; }
.doing { overflow: hidden; text-overflow: ellipsis; white-space: nowrap; }
.acts { display: flex; gap: 8px; justify-content: flex-end; align-items: center; }
.card { padding: 14px; background: var(--paper); border-radius: 3px; display: grid; grid-template-columns: repeat(3, minmax(150px, 220px)); gap: 10px 14px; }
.card .heading, .card > .password { grid-column: 1 / -1; }
.add { justify-self: start; }
.change { display: grid; gap: 12px; width: min(380px, 86vw); }
label { display: grid; gap: 3px; font-weight: 600; }
label > * { font-weight: 400; }
@media (max-width: 1100px) { .row { grid-template-columns: 1fr 1fr; } }
</style>
