<script setup lang="ts">
import { useDebounceFn } from '@vueuse/core'
import Button from 'primevue/button'
import InputText from 'primevue/inputtext'
import Message from 'primevue/message'
import Select from 'primevue/select'
import Textarea from 'primevue/textarea'
import { computed, onMounted, ref, watch } from 'vue'

import { api, taken, type Schemas } from '../api/client'
import { moment } from '../common/due'
import { tryingWith } from '../common/trying'
import { useAsking } from '../common/useAsking'
import { useSaying } from '../common/useSaying'
import { useSession } from '../common/useSession'
import KeptList from '../parts/KeptList.vue'
import PageHead from '../parts/PageHead.vue'

const MOST = 500
const EMPTY: Schemas['NewClient'] = {
  name: '', contact: '', slip: '', name_pattern: '', taste: '', way: null,
  words: { creator: '', credit: '', copyright: '', contact: '', terms: '' },
}
const WORDS = [
  { name: 'creator', most: 200 }, { name: 'credit', most: 200 }, { name: 'copyright', most: 300 }, { name: 'contact', most: 300 },
  { name: 'terms', most: 2000 },
] as const

const { person } = useSession()
const lead = computed(() => person.value?.role === 'lead')
const { say, sayError } = useSaying()
const trying = tryingWith(sayError)
const asking = useAsking()
const words = ref('')
const list = ref<Schemas['ClientRow'][] | null>(null)
const total = ref(0)
/** Who stands on the sheet; null for somebody new. */
const chosen = ref<string | null>(null)
const page = ref<Schemas['ClientPage'] | null>(null)
const form = ref<Schemas['NewClient'] | null>(null)
const slips = ref<string[]>([])
const ways = ref<Schemas['WayRow'][]>([])

async function load() {
  const query = { words: words.value, limit: MOST }
  const found = taken(await api.GET('/api/clients', { params: { query } }))
  list.value = found.clients
  total.value = found.total
}
const loadSoon = useDebounceFn(() => trying(load), 180)
watch(words, loadSoon)
onMounted(() =>
  trying(async () => {
    await load()
    slips.value = taken(await api.GET('/api/slips')).map((kept) => kept.slip.name)
    ways.value = taken(await api.GET('/api/ways'))
    const first = list.value?.[0]
    if (first) await open(first.id)
  }),
)

async function open(client: string) {
  const found = taken(await api.GET('/api/clients/{client}', { params: { path: { client } } }))
  chosen.value = client
  page.value = found
  form.value = structuredClone(found.client)
}
function begin() {
  chosen.value = null
  page.value = null
  form.value = structuredClone(EMPTY)
}
const keep = () =>
  trying(async () => {
    if (!form.value) return
    const { name, contact, slip, name_pattern, taste, way, words: said } = form.value
    const body = { name, contact, slip: slip ?? '', name_pattern, taste, way, words: said }
    const kept = chosen.value
      ? taken(await api.PUT('/api/clients/{client}', { params: { path: { client: chosen.value } }, body }))
      : taken(await api.POST('/api/clients', { body }))
    say(`${kept.name} is kept.`)
    await load()
    await open(kept.id)
  })
function remove() {
  const gone = page.value?.client
  if (!gone) return
  asking(
    `Remove ${gone.name}?`,
    'Nothing was ordered by this client, so nothing else goes with it.',
    'Remove',
    () =>
      trying(async () => {
        taken(await api.DELETE('/api/clients/{client}', { params: { path: { client: gone.id } } }))
        form.value = page.value = chosen.value = null
        await load()
      }),
  )
}
const counts = (one: Schemas['ClientRow']) => (one.tickets === 0 ? 'no tickets' : `${one.open} open, ${one.tickets} in all`)
const kept = computed(() => (list.value ?? []).map((one) => ({ id: one.id, title: one.name, under: counts(one) })))
const hours = (minutes: number) => (minutes / 60).toFixed(1)
const row = computed(() => list.value?.find((one) => one.id === chosen.value))
</script>

<template>
  <PageHead number="FERN TICKET" to="/" title="Clients" under="who orders, and what is usual with them" />
  <main class="clients">
    <aside class="paper" aria-label="Clients">
      <InputText v-model="words" type="search" placeholder="name or contact" aria-label="Find clients" class="find" />
      <p v-if="list && list.length === 0" class="soft none">{{ words ? 'Nobody is called that.' : 'No client yet.' }}</p>
      <KeptList :items="kept" :open="chosen" @take="(client) => trying(() => open(client))" />
      <p v-if="list && total > list.length" class="soft small">{{ total - list.length }} more; find them by name.</p>
      <Button v-if="lead" class="new" severity="secondary" label="New client" @click="begin" />
    </aside>
    <form v-if="form" class="sheet" aria-label="The client" @submit.prevent="keep">
      <div class="pair">
        <label>name <InputText v-model="form.name" required :maxlength="120" :disabled="!lead" /></label>
        <label>usual slip
          <Select v-model="form.slip" :options="slips" show-clear placeholder="none" aria-label="Usual slip" :disabled="!lead" />
        </label>
        <label>usual way out
          <Select
            v-model="form.way" :options="ways" option-label="name" option-value="id" show-clear placeholder="none" aria-label="Usual way out"
            :disabled="!lead"
          />
        </label>
        <label>files are called
          <InputText
            v-model="form.name_pattern" v-tooltip.bottom="'{ticket}, {number:02}, {client}, {photo}'" placeholder="as the slip says" :maxlength="120"
            :disabled="!lead"
          />
        </label>
      </div>
      <label>contact <Textarea v-model="form.contact" rows="2" :maxlength="2000" placeholder="who to write to, by what" :disabled="!lead" /></label>
      <label>taste <Textarea v-model="form.taste" rows="2" :maxlength="4000" placeholder="keeps the plaster uneven; no blue skies" :disabled="!lead" /></label>
      <h2 class="heading">Goes with every photo that says nothing else</h2>
      <div class="pair">
        <label v-for="word in WORDS" :key="word.name" :class="{ wide: word.name === 'terms' }">{{ word.name }}
          <InputText v-model="form.words![word.name]" :maxlength="word.most" :disabled="!lead" />
        </label>
      </div>
      <div v-if="lead" class="acts">
        <Button type="submit" label="Keep" />
        <Button v-if="row && row.tickets === 0" link label="remove" @click="remove" />
      </div>
    </form>
    <section v-else-if="list" class="sheet empty">
      <p>Clients come with their first ticket, or are written down here: what is usual with each is then there for every new one.</p>
      <Button v-if="lead" label="Write one down" @click="begin" />
    </section>
    <aside v-if="page" class="past" aria-label="What happened">
      <h2 class="heading">By month</h2>
      <p v-if="page.months.length === 0" class="soft">No photos yet.</p>
      <p v-for="month in page.months" :key="month.month" class="row">
        <span class="number">{{ month.month }}</span>
        <span>
          {{ month.photos }} {{ month.photos === 1 ? 'photo' : 'photos' }}, {{ month.accepted }} accepted, {{ month.returned }} came back,
          {{ hours(month.minutes) }} h
        </span>
      </p>
      <h2 class="heading next">Came back</h2>
      <p v-if="page.returns.length === 0" class="soft">Nothing.</p>
      <div v-for="one in page.returns" :key="one.id" class="back">
        <RouterLink :to="`/tickets/${one.number}`">{{ one.number }}</RouterLink> {{ one.photo }} <span class="soft">{{ moment(one.ended_at) }}</span>
        <Message severity="error">{{ one.reasons.join(' ') }}</Message>
      </div>
      <RouterLink class="all" :to="{ path: '/', query: { client: page.client.id } }">All tickets of {{ page.client.name }}</RouterLink>
    </aside>
  </main>
</template>

<style scoped>
.clients { display: grid; grid-template-columns: 262px minmax(0, 1fr) 300px; height: calc(100% - 40px); }
.paper, .past { background: var(--paper); padding: 14px 12px; overflow: auto; }
.paper { border-right: 1px solid var(--hairline); }
.past { border-left: 1px solid var(--hairline); }
.find { width: 100%; }
.none { padding: 12px 2px; }
.new { margin-top: 10px; }
.sheet { padding: 14px 16px; overflow: auto; display: grid; gap: 10px; align-content: start; }
.empty { justify-items: start; max-width: 520px; }
.pair { display: grid; grid-template-columns: 1fr 1fr; gap: 10px 14px; }
.wide { grid-column: 1 / 3; }
label { display: grid; gap: 3px; font-weight: 600; min-width: 0; }
label > * { font-weight: 400; }
.heading { margin-top: 8px; }
.next { margin-top: 16px; }
.acts { display: flex; gap: 14px; align-items: center; }
.row { display: flex; justify-content: space-between; gap: 8px; padding: 3px 0; }
.row > .number { white-space: nowrap; }
.row > :last-child { text-align: right; }
.back { padding: 4px 0; }
.all { display: inline-block; margin-top: 16px; padding: 4px 0; }
</style>
