<script setup lang="ts">
import { onMounted, reactive, ref } from 'vue'

import { api, taken, type Schemas } from '../api/client'
import PageHead from '../parts/PageHead.vue'
import { useSaying } from '../useSaying'

const { sayError, say } = useSaying()
const people = ref<Schemas['User'][] | null>(null)
const problem = ref(false)
const fresh = reactive({ sign_in: '', name: '', role: 'editor' as 'editor' | 'lead', password: '' })

onMounted(async () => {
  try {
    people.value = taken(await api.GET('/api/people'))
  } catch (error) {
    problem.value = true
    sayError(error)
  }
})
async function act(work: () => Promise<Schemas['User'][]>, said: string) {
  try {
    people.value = await work()
    say(said)
  } catch (error) {
    sayError(error)
  }
}
const add = () =>
  act(async () => {
    const answer = taken(await api.POST('/api/people', { body: { ...fresh } }))
    Object.assign(fresh, { sign_in: '', name: '', password: '' })
    return answer
  }, `${fresh.name} can sign in now.`)
const change = (person: Schemas['User'], role: string) =>
  act(async () => taken(await api.PUT('/api/people/{person}', { params: { path: { person: person.id } }, body: { role: role as 'editor' | 'lead' } })), `${person.name}: ${role}.`)
</script>

<template>
  <PageHead number="FERN TICKET" to="/" title="People" under="who signs in" />
  <main class="people">
    <p v-if="problem" class="card">Only those who lead see this.</p>
    <template v-else-if="people">
      <p v-for="person in people" :key="person.id" class="card row">
        <strong>{{ person.name }}</strong><span class="number">{{ person.sign_in }}</span>
        <label>does <select :value="person.role" @change="change(person, ($event.target as HTMLSelectElement).value)"><option value="editor">edit</option><option value="lead">edit and lead (slips, people)</option></select></label>
      </p>
      <form class="card row" @submit.prevent="add">
        <label>name <input v-model="fresh.name" required maxlength="80" /></label>
        <label>signs in as <input v-model="fresh.sign_in" required pattern="[a-z0-9][a-z0-9._\-]*" maxlength="60" title="small letters, figures, dot, hyphen" /></label>
        <label>password <input v-model="fresh.password" type="password" required minlength="12" autocomplete="new-password" title="twelve characters or more" /></label>
        <label>does <select v-model="fresh.role"><option value="editor">edit</option><option value="lead">edit and lead</option></select></label>
        <button class="plain" type="submit">Add</button>
      </form>
    </template>
  </main>
</template>

<style scoped>
.people { padding: 14px 16px; display: grid; gap: 6px; }
.card { padding: 10px 14px; background: var(--paper); border-radius: 3px; }
.row { display: grid; grid-template-columns: 220px 180px 1fr; gap: 14px; align-items: center; }
form.row { display: flex; flex-wrap: wrap; }
label { display: flex; gap: 6px; align-items: center; }
</style>
