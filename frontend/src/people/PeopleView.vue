<script setup lang="ts">
import Button from 'primevue/button'
import DataView from 'primevue/dataview'
import InputText from 'primevue/inputtext'
import Message from 'primevue/message'
import Select from 'primevue/select'
import { computed, onMounted, reactive, ref } from 'vue'

import { api, taken, type Schemas } from '../api/client'
import { tryingWith } from '../common/trying'
import { useSaying } from '../common/useSaying'
import PageHead from '../parts/PageHead.vue'

type Role = Schemas['User']['role']
const ROLES: { role: Role; label: string }[] = [
  { role: 'editor', label: 'edit' },
  { role: 'lead', label: 'edit and lead (slips, people)' },
]
const { sayError, say } = useSaying()
const trying = tryingWith(sayError)
const people = ref<Schemas['User'][] | null>(null)
const problem = ref(false)
const words = ref('')
const fresh = reactive({ sign_in: '', name: '', role: 'editor' as Role, password: '' })
const shown = computed(() => {
  const wanted = words.value.trim().toLowerCase()
  return (people.value ?? []).filter((one) => `${one.name} ${one.sign_in}`.toLowerCase().includes(wanted))
})

onMounted(async () => {
  try {
    people.value = taken(await api.GET('/api/people'))
  } catch (error) {
    problem.value = true
    sayError(error)
  }
})
const act = (work: () => Promise<Schemas['User'][]>, said: string) =>
  trying(async () => {
    people.value = await work()
    say(said)
  })
const add = () =>
  act(async () => {
    const answer = taken(await api.POST('/api/people', { body: { ...fresh } }))
    Object.assign(fresh, { sign_in: '', name: '', password: '' })
    return answer
  }, `${fresh.name} can sign in now.`)
const change = (person: Schemas['User'], role: Role) =>
  act(async () => taken(await api.PUT('/api/people/{person}', { params: { path: { person: person.id } }, body: { role } })), `${person.name}: ${role}.`)
</script>

<template>
  <PageHead number="FERN TICKET" to="/" title="People" under="who signs in" />
  <main class="people">
    <Message v-if="problem" severity="error">Only those who lead see this.</Message>
    <template v-else-if="people">
      <InputText v-if="people.length > 8" v-model="words" type="search" placeholder="name" aria-label="Find people by name" />
      <DataView :value="shown" data-key="id" sort-field="name" :sort-order="1" :paginator="shown.length > 40" :rows="40" class="table">
        <template #empty><p class="row">Nobody is called that.</p></template>
        <template #list="{ items }: { items: Schemas['User'][] }">
          <div v-for="person in items" :key="person.id" class="row">
            <strong>{{ person.name }}</strong><span class="number">{{ person.sign_in }}</span>
            <Select
              :model-value="person.role" :options="ROLES" option-label="label" option-value="role" :aria-label="`What ${person.name} does`"
              @update:model-value="change(person, $event)"
            />
          </div>
        </template>
      </DataView>
      <form class="card" aria-label="Somebody new" @submit.prevent="add">
        <label>name <InputText v-model="fresh.name" required :maxlength="80" /></label>
        <label>signs in as
          <InputText
            v-model="fresh.sign_in" v-tooltip.top="'small letters, figures, dot, hyphen'" required pattern="[a-z0-9][a-z0-9._\-]*" :maxlength="60"
          />
        </label>
        <label>password
          <InputText
            v-model="fresh.password" v-tooltip.top="'twelve characters or more'" type="password" required minlength="12" autocomplete="new-password"
          />
        </label>
        <label>does <Select v-model="fresh.role" :options="ROLES" option-label="label" option-value="role" aria-label="What they do" /></label>
        <Button severity="secondary" type="submit" label="Add" />
      </form>
    </template>
  </main>
</template>

<style scoped>
.people { padding: 14px 16px; display: grid; gap: 10px; justify-items: start; }
.table { width: min(760px, 100%); }
.row {
  display: grid; grid-template-columns: 1fr 1fr 240px; gap: 14px; align-items: center; padding: 7px 14px; margin-bottom: 4px;
  background: var(--paper); border-radius: 3px;
}
.card { padding: 10px 14px; background: var(--paper); border-radius: 3px; display: flex; flex-wrap: wrap; gap: 8px 14px; align-items: center; }
label { display: flex; gap: 6px; align-items: center; }
</style>
