<script setup lang="ts">
import { computed, onMounted, reactive, ref, watch } from 'vue'

import { api, taken, type Schemas } from '../api/client'
import { dueText, isPressing } from '../parts/due'
import PageHead from '../parts/PageHead.vue'
import { STAGES, standing, type Stage } from '../parts/stages'
import TicketTag from '../parts/TicketTag.vue'
import { useSaying } from '../useSaying'
import { useSession } from '../useSession'

const PAGE = 40
const KINDS = ['property', 'food', 'product', 'animal', 'artwork', 'panorama'] as const
const asked = reactive({
  words: '',
  kind: '' as '' | (typeof KINDS)[number],
  stage: 'open' as '' | 'open' | 'done' | Stage,
  sort: 'due' as 'due' | 'number' | 'client',
})

const page = ref<Schemas['BoardPage'] | null>(null)
const tickets = ref<Schemas['TicketRow'][]>([])
const failed = ref(false)
const loading = ref(false)
const { sayError } = useSaying()
const { person } = useSession()
let newest = 0

const under = computed(() => (page.value ? `${page.value.open} open, ${page.value.pressing} due today` : ''))
const more = computed(() => page.value !== null && tickets.value.length < page.value.total)

async function load(offset = 0) {
  const own = ++newest
  loading.value = true
  failed.value = false
  try {
    const query = { words: asked.words.trim(), kind: asked.kind || undefined, stage: asked.stage || undefined, sort: asked.sort, offset, limit: PAGE }
    const found = taken(await api.GET('/api/tickets', { params: { query } }))
    if (own !== newest) return
    page.value = found
    tickets.value = offset ? [...tickets.value, ...found.tickets] : found.tickets
  } catch (error) {
    if (own !== newest) return
    failed.value = true
    sayError(error)
  }
  loading.value = false
}
onMounted(() => load())
let typing: ReturnType<typeof setTimeout> | undefined
watch(asked, () => {
  clearTimeout(typing)
  typing = setTimeout(() => load(), 180)
})
</script>

<template>
  <PageHead number="FERN TICKET" title="Board" :under="under"><RouterLink to="/slips" class="plain">Slips</RouterLink><RouterLink v-if="person?.role === 'lead'" to="/people" class="plain">People</RouterLink></PageHead>
  <form class="ask" role="search" @submit.prevent="load()">
    <input v-model="asked.words" class="words" type="search" placeholder="number, title or client" aria-label="Find tickets by number, title or client" />
    <label>kind
      <select v-model="asked.kind"><option value="">any</option><option v-for="kind in KINDS" :key="kind" :value="kind">{{ kind }}</option></select>
    </label>
    <label>with photos
      <select v-model="asked.stage">
        <option value="">any</option>
        <option value="open">not all accepted</option>
        <option v-for="(words, stage) in STAGES" :key="stage" :value="stage">{{ words }}</option>
        <option value="done">all accepted</option>
      </select>
    </label>
    <label>by
      <select v-model="asked.sort"><option value="due">due time</option><option value="number">newest number</option><option value="client">client</option></select>
    </label>
    <span class="soft" role="status">{{ page ? `${page.total} ${page.total === 1 ? 'ticket' : 'tickets'}` : '' }}</span>
  </form>
  <main class="board">
    <p v-if="failed" class="note">The tickets could not be loaded. <button class="plain" type="button" @click="load()">Try again</button></p>
    <p v-else-if="page === null" class="note">Loading the tickets…</p>
    <p v-else-if="tickets.length === 0" class="note">No ticket fits. <span v-if="asked.stage === 'open' && !asked.words">Those that are done are under “with photos: any”.</span></p>
    <RouterLink v-for="ticket in tickets" :key="ticket.id" class="stub" :to="`/tickets/${ticket.number}`">
      <TicketTag :number="ticket.number" class="tag" :under="ticket.kind" />
      <div class="what">
        <strong>{{ ticket.title }}</strong>
        <span class="soft">{{ ticket.client }}<span v-if="ticket.notes" class="notes" :title="`${ticket.notes} open notes of the client or the desk`"> · {{ ticket.notes }} {{ ticket.notes === 1 ? 'note' : 'notes' }}</span></span>
      </div>
      <div class="strip">
        <img v-for="photo in ticket.thumbnails" :key="photo" :src="`/api/photos/${photo}/thumbnail`" alt="" loading="lazy" />
        <span v-if="ticket.thumbnails.length === 0" class="soft small">{{ ticket.photos ? 'photos are being prepared' : 'no photos yet' }}</span>
      </div>
      <div class="progress">
        <span class="squares" aria-hidden="true"><i v-for="(stage, index) in ticket.stages.slice(0, 28)" :key="index" :class="stage"></i></span>
        <span class="soft">{{ ticket.stages.filter((stage) => stage === 'accepted').length }} of {{ ticket.photos }} accepted</span>
      </div>
      <span class="standing" :class="{ back: ticket.stages.includes('returned') }">{{ standing(ticket.stages) }}</span>
      <span class="number due" :class="{ pressing: isPressing(ticket.due_at) }">{{ dueText(ticket.due_at) }}</span>
    </RouterLink>
    <button v-if="more" class="plain more" type="button" :disabled="loading" @click="load(tickets.length)">{{ loading ? 'Loading…' : `Show more, ${(page?.total ?? 0) - tickets.length} left` }}</button>
  </main>
</template>

<style scoped>
.ask { display: flex; align-items: center; gap: 16px; padding: 10px 16px 0; }
.ask label { display: flex; align-items: center; gap: 6px; color: var(--soft-ink); }
.words { width: 260px; }
.ask [role='status'] { margin-left: auto; }
.board { padding: 10px 16px 14px; display: grid; gap: 7px; }
.note { padding: 24px; background: var(--paper); border-radius: 3px; }
.stub {
  display: grid; grid-template-columns: 112px 220px minmax(0, 1fr) 150px 150px 130px; align-items: center; gap: 14px;
  height: 76px; background: var(--paper); border-radius: 3px; box-shadow: 0 1px 0 var(--rule); text-decoration: none; padding-right: 14px;
}
.stub:hover, .stub:focus-visible { background: var(--sheet); outline: 2px solid var(--fern); outline-offset: -2px; }
.tag { align-self: stretch; flex-direction: column; align-items: flex-start; justify-content: center; gap: 9px; padding-right: 10px; border-radius: 3px 0 0 3px; }
.what { display: grid; gap: 2px; }
.what strong { font-size: 14px; }
.notes { color: var(--ink); font-weight: 600; }
.strip { display: flex; gap: 4px; align-items: center; overflow: hidden; height: 56px; }
.strip img { height: 56px; min-width: 50px; max-width: 100px; object-fit: cover; }
.progress { display: grid; gap: 4px; }
.squares { display: flex; flex-wrap: wrap; gap: 2px; }
.squares i { width: 9px; height: 9px; border: 1px solid var(--soft-ink); }
.squares i.bench { background: linear-gradient(to top, var(--soft-ink) 40%, transparent 40%); }
.squares i.checked { background: var(--soft-ink); }
.squares i.handed_over { border-color: var(--fern); background: linear-gradient(to right, var(--fern) 50%, transparent 50%); }
.squares i.returned { border-color: var(--short); background: linear-gradient(135deg, transparent 45%, var(--short) 45%); }
.squares i.accepted { background: var(--fern); border-color: var(--fern); }
.standing.back, .pressing { color: var(--short); }
.due { text-align: right; }
.more { justify-self: center; margin: 6px; }
</style>
