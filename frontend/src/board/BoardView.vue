<script setup lang="ts">
import { useDebounceFn } from '@vueuse/core'
import Button from 'primevue/button'
import DataView, { type DataViewPageEvent } from 'primevue/dataview'
import InputText from 'primevue/inputtext'
import Message from 'primevue/message'
import Select from 'primevue/select'
import Skeleton from 'primevue/skeleton'
import ToggleButton from 'primevue/togglebutton'
import { computed, onMounted, reactive, ref, useTemplateRef, watch } from 'vue'
import { useRoute } from 'vue-router'

import { api, taken, type Schemas } from '../api/client'
import { dueText, isPressing } from '../common/due'
import { STAGES, standing, type Stage } from '../common/stages'
import { useSaying } from '../common/useSaying'
import { useSession } from '../common/useSession'
import PageHead from '../parts/PageHead.vue'
import TicketTag from '../parts/TicketTag.vue'
import NewTickets from './NewTickets.vue'
import PeopleRow from './PeopleRow.vue'

type Row = Schemas['TicketRow']
type Sort = 'due' | 'number' | 'client'

const PAGE = 40
const KINDS = ['property', 'food', 'product', 'animal', 'artwork', 'panorama'] as const
const STANDINGS = [
  { value: 'open', label: 'not all accepted' },
  ...Object.entries(STAGES).map(([value, label]) => ({ value, label })),
  { value: 'done', label: 'all accepted' },
  { value: 'on_hold', label: 'on hold' },
  { value: 'closed', label: 'closed' },
]
const PLACES = [
  { to: '/clients', label: 'Clients' }, { to: '/slips', label: 'Slips' }, { to: '/ways', label: 'Ways' },
  { to: '/people', label: 'People', lead: true }, { to: '/bin', label: 'Bin', lead: true }, { to: '/studio', label: 'Studio', lead: true },
]
const SORTS: { value: Sort; label: string }[] = [
  { value: 'due', label: 'by due time' },
  { value: 'number', label: 'newest number first' },
  { value: 'client', label: 'by client' },
]
const route = useRoute()
const asked = reactive({
  words: '',
  kind: null as null | (typeof KINDS)[number],
  stage: 'open' as null | 'open' | 'done' | 'on_hold' | 'closed' | Stage,
  sort: 'due' as Sort,
  first: 0,
  mine: false,
  /** Tickets of one client only; comes with the address. */
  client: typeof route.query.client === 'string' ? route.query.client : undefined,
})

const page = ref<Schemas['BoardPage'] | null>(null)
const failed = ref(false)
const loading = ref(false)
const { sayError } = useSaying()
const { person } = useSession()
const lead = computed(() => person.value?.role === 'lead')
const places = computed(() => PLACES.filter((one) => lead.value || !one.lead))
const making = useTemplateRef('making')
const over = ref(false)
let newest = 0

/** The person who is being dragged, and the ticket that they are held over. */
const carried = ref<string | null>(null)
const target = ref<string | null>(null)
const people = useTemplateRef('people')
function hover(event: DragEvent, ticket: Row) {
  if (!carried.value) return
  event.preventDefault()
  event.stopPropagation()
  target.value = ticket.id
}
function given(event: DragEvent, ticket: Row) {
  const person = carried.value
  carried.value = target.value = null
  if (!person) return
  event.preventDefault()
  event.stopPropagation()
  void assign(ticket, person)
}
function byNumber(event: KeyboardEvent, ticket: Row) {
  const person = /^[1-9]$/.test(event.key) ? people.value?.at(Number(event.key)) : undefined
  if (person && lead.value) void assign(ticket, person)
}
/** Who has the ticket already is taken off it. */
async function assign(ticket: Row, person: string) {
  try {
    const path = { number: ticket.number }
    const had = taken(await api.GET('/api/tickets/{number}', { params: { path } })).editors.map((one) => one.id)
    const editors = had.includes(person) ? had.filter((one) => one !== person) : [...had, person]
    taken(await api.PUT('/api/tickets/{number}/editors', { params: { path }, body: { editors } }))
    await Promise.all([load(), people.value?.load()])
  } catch (error) {
    sayError(error)
  }
}

async function dropped(event: DragEvent) {
  over.value = false
  if (event.dataTransfer && lead.value) await making.value?.drop(event.dataTransfer)
}

const under = computed(() => (page.value ? `${page.value.open} open, ${page.value.pressing} due today` : ''))
const count = computed(() => (page.value ? `${page.value.total} ${page.value.total === 1 ? 'ticket' : 'tickets'}` : ''))

async function load() {
  const own = ++newest
  loading.value = true
  failed.value = false
  try {
    const { words, kind, stage, sort, first, mine, client } = asked
    const query = { words: words.trim(), kind: kind ?? undefined, stage: stage ?? undefined, sort, offset: first, limit: PAGE, mine: mine || undefined, client }
    const found = taken(await api.GET('/api/tickets', { params: { query } }))
    if (own === newest) page.value = found
  } catch (error) {
    if (own !== newest) return
    failed.value = true
    sayError(error)
  }
  if (own === newest) loading.value = false
}
onMounted(load)
const loadSoon = useDebounceFn(load, 180)
watch(() => [asked.words, asked.kind, asked.stage, asked.sort, asked.mine, asked.client], () => {
  asked.first = 0
  void loadSoon()
})

function turn(event: DataViewPageEvent) {
  asked.first = event.first
  void load()
}
const accepted = (ticket: Row) => ticket.stages.filter((stage) => stage === 'accepted').length
</script>

<template>
  <PageHead number="FERN TICKET" :title="person?.studio ?? 'Board'" :under="under">
    <Button v-for="place in places" :key="place.to" as="router-link" :to="place.to" link :label="place.label" />
  </PageHead>
  <form class="ask" role="search" @submit.prevent="load()">
    <InputText
      v-model="asked.words" class="words" type="search" placeholder="number, title or client"
      aria-label="Find tickets by number, title or client"
    />
    <Select v-model="asked.kind" :options="[...KINDS]" placeholder="any kind" show-clear aria-label="Kind" />
    <Select
      v-model="asked.stage" :options="STANDINGS" option-label="label" option-value="value" placeholder="with any photos" show-clear
      aria-label="With photos"
    />
    <Select v-model="asked.sort" :options="SORTS" option-label="label" option-value="value" aria-label="Order" />
    <ToggleButton v-model="asked.mine" on-label="mine" off-label="mine" aria-label="Only what is mine" />
    <Button
      v-if="asked.client" severity="secondary" label="of one client ✕" aria-label="of one client ✕: show those of all again"
      @click="asked.client = undefined"
    />
    <span class="soft" role="status">{{ count }}</span>
    <NewTickets v-if="lead" ref="making" @made="load" />
  </form>
  <Message v-if="page?.little_room != null" severity="warn" class="room">
    Only {{ (page.little_room / 1e9).toFixed(1) }} GB are free on the disk of the data folder. Empty the bin, or make room on it.
  </Message>
  <PeopleRow v-if="lead" ref="people" @drag="carried = $event" />
  <main class="board" :class="{ over }" @dragover.prevent="over = lead" @dragleave="over = false" @drop.prevent="dropped">
    <Message v-if="failed" severity="error">
      The tickets could not be loaded. <Button severity="secondary" label="Try again" @click="load()" />
    </Message>
    <div v-else-if="page === null" class="waiting" role="status" aria-label="Loading the tickets"><Skeleton v-for="k in 5" :key="k" height="76px" /></div>
    <DataView
      v-else lazy :value="page.tickets" data-key="id" :rows="PAGE" :first="asked.first" :total-records="page.total" :paginator="page.total > PAGE" @page="turn"
    >
      <template #empty>
        <p v-if="page.open === 0 && asked.stage === 'open' && !asked.words && lead" class="empty">
          No open ticket. Drop photos, a folder or an order file here, or write one down.
          <Button label="New ticket" @click="making?.write()" />
          <span v-if="page.total === 0" class="begin soft">
            A ticket goes by a slip, and its photos go out on a way: <RouterLink to="/slips">take slips from the library of eight</RouterLink>,
            <RouterLink to="/ways">add a way out</RouterLink>, <RouterLink to="/people">add those who work with you</RouterLink>.
          </span>
        </p>
        <p v-else class="empty">
          No ticket fits. <span v-if="asked.stage === 'open' && !asked.words">Those that are done are under “with any photos”.</span>
        </p>
      </template>
      <template #list="{ items }: { items: Row[] }">
        <RouterLink
          v-for="ticket in items" :key="ticket.id" class="stub" :class="{ under: target === ticket.id }" :to="`/tickets/${ticket.number}`"
          @dragover="hover($event, ticket)" @dragleave="target = null" @drop="given($event, ticket)" @keydown="byNumber($event, ticket)"
        >
          <TicketTag :number="ticket.number" class="tag" :under="ticket.kind" />
          <div class="what">
            <strong>{{ ticket.title }}</strong>
            <span class="soft">
              {{ ticket.client }}<template v-if="ticket.editors.length"> · {{ ticket.editors.join(', ') }}</template>
              <b v-if="ticket.notes" class="notes"> · {{ ticket.notes }} {{ ticket.notes === 1 ? 'note' : 'notes' }}</b>
            </span>
          </div>
          <div class="strip">
            <img v-for="photo in ticket.thumbnails" :key="photo" :src="`/api/photos/${photo}/thumbnail`" alt="" loading="lazy" />
            <span v-if="ticket.thumbnails.length === 0" class="soft small">{{ ticket.photos ? 'photos are being prepared' : 'no photos yet' }}</span>
          </div>
          <div class="progress">
            <span class="squares" aria-hidden="true"><i v-for="(stage, index) in ticket.stages.slice(0, 28)" :key="index" :class="stage"></i></span>
            <span class="soft">{{ accepted(ticket) }} of {{ ticket.photos }} accepted</span>
          </div>
          <span v-if="ticket.state !== 'open'" class="standing"><b>{{ ticket.state === 'closed' ? 'closed' : 'on hold' }}</b></span>
          <span v-else class="standing" :class="{ short: ticket.stages.includes('returned') }">{{ standing(ticket.stages) }}</span>
          <span class="number due" :class="{ short: isPressing(ticket.due_at) }">{{ dueText(ticket.due_at) }}</span>
        </RouterLink>
      </template>
    </DataView>
  </main>
</template>

<style scoped>
.ask { display: flex; flex-wrap: wrap; align-items: center; gap: 8px 14px; padding: 10px 16px 0; }
.room { margin: 10px 16px 0; }
.words { width: 260px; }
.ask [role='status'] { margin-left: auto; }
.board { padding: 10px 16px 14px; min-height: calc(100% - 90px); }
.board.over { outline: 2px dashed var(--fern); outline-offset: -6px; }
.waiting { display: grid; gap: 7px; }
.empty { padding: 24px; background: var(--paper); border-radius: 3px; }
.begin { display: block; margin-top: 10px; }
.stub {
  display: grid; grid-template-columns: 112px 220px minmax(0, 1fr) 150px 150px 130px; align-items: center; gap: 14px; margin-bottom: 7px;
  min-height: 76px; background: var(--paper); border-radius: 3px; box-shadow: 0 1px 0 var(--rule); text-decoration: none; padding-right: 14px;
}
.stub.under, .stub:hover, .stub:focus-visible { background: var(--sheet); outline: 2px solid var(--fern); outline-offset: -2px; }
.tag {
  align-self: stretch; flex-direction: column; align-items: flex-start; justify-content: center; gap: 9px; padding-right: 10px;
  border-radius: 3px 0 0 3px;
}
.what { display: grid; gap: 2px; }
.what strong { font-size: 14px; }
.notes { color: var(--ink); font-weight: 600; }
.strip { display: flex; gap: 4px; align-items: center; overflow: hidden; height: 56px; }
.strip img { height: 56px; min-width: 50px; max-width: 100px; object-fit: cover; }
.progress { display: grid; gap: 4px; }
.squares { display: flex; flex-wrap: wrap; gap: 2px; }
.due { text-align: right; }
.squares i { width: 9px; height: 9px; border: 1px solid var(--soft-ink); }
.squares i.bench { background: linear-gradient(to top, var(--soft-ink) 40%, transparent 40%); }
.squares i.checked { background: var(--soft-ink); }
.squares i.handed_over { border-color: var(--fern); background: linear-gradient(to right, var(--fern) 50%, transparent 50%); }
.squares i.returned { border-color: var(--short); background: linear-gradient(135deg, transparent 45%, var(--short) 45%); }
.squares i.accepted { background: var(--fern); border-color: var(--fern); }
.short { color: var(--short); }
@media (max-width: 1100px) { .stub { grid-template-columns: 112px 180px minmax(0, 1fr) 110px 120px 96px; gap: 10px; } }
@media (max-width: 900px) {
  .ask, .board { padding-left: 10px; padding-right: 10px; }
  .words { width: 100%; }
  .stub {
    grid-template: 'tag what due' auto 'tag standing standing' auto 'tag strip strip' auto / 96px minmax(0, 1fr) auto; gap: 4px 10px;
    padding: 0 10px 0 0;
  }
  .tag { grid-area: tag; }
  .what { grid-area: what; padding-top: 8px; }
  .due { grid-area: due; align-self: start; padding-top: 9px; }
  .standing { grid-area: standing; }
  .strip { grid-area: strip; margin-bottom: 6px; }
  .progress { display: none; }
}
</style>
