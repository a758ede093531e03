<script setup lang="ts">
import { computed, onMounted, ref } from 'vue'

import { api, taken, type Schemas } from '../api/client'
import { dueText, isPressing } from '../parts/due'
import PageHead from '../parts/PageHead.vue'
import TicketTag from '../parts/TicketTag.vue'
import { useSaying } from '../useSaying'

const tickets = ref<Schemas['TicketRow'][] | null>(null)
const failed = ref(false)
const { sayError } = useSaying()

const under = computed(() => {
  if (!tickets.value) return ''
  const today = tickets.value.filter((ticket) => isPressing(ticket.due_at)).length
  return `${tickets.value.length} open, ${today} due today`
})

async function load() {
  failed.value = false
  try {
    tickets.value = taken(await api.GET('/api/tickets'))
  } catch (error) {
    failed.value = true
    sayError(error)
  }
}
onMounted(load)

function standing(ticket: Schemas['TicketRow']): string {
  if (ticket.returned) return `${ticket.returned} returned by the desk`
  if (ticket.under_way) return `${ticket.under_way} on the way to the desk`
  if (ticket.photos && ticket.accepted === ticket.photos) return 'all accepted'
  return ticket.started ? 'on the bench' : 'waiting'
}
</script>

<template>
  <PageHead number="FERN TICKET" title="Board" :under="under" />
  <main class="board">
    <p v-if="failed" class="note">The tickets could not be loaded. <button class="plain" type="button" @click="load">Try again</button></p>
    <p v-else-if="tickets === null" class="note">Loading the tickets…</p>
    <p v-else-if="tickets.length === 0" class="note">No tickets yet. <code>./fern demo</code> brings one to try with.</p>
    <RouterLink v-for="ticket in tickets ?? []" :key="ticket.id" class="stub" :to="`/tickets/${ticket.number}`">
      <TicketTag :number="ticket.number" class="tag" :under="ticket.kind" />
      <div class="what">
        <strong>{{ ticket.title }}</strong>
        <span class="soft">{{ ticket.client }}</span>
      </div>
      <div class="strip">
        <img v-for="photo in ticket.thumbnails.slice(0, 5)" :key="photo" :src="`/api/photos/${photo}/thumbnail`" alt="" />
        <span v-if="ticket.thumbnails.length === 0" class="soft small">{{ ticket.photos ? 'photos are being prepared' : 'no photos yet' }}</span>
      </div>
      <div class="progress">
        <span class="squares" aria-hidden="true">
          <i v-for="index in Math.min(ticket.photos, 28)" :key="index" :class="{ done: index <= ticket.accepted, back: index > ticket.photos - ticket.returned }"></i>
        </span>
        <span class="soft">{{ ticket.accepted }} of {{ ticket.photos }} accepted</span>
      </div>
      <span class="standing" :class="{ back: ticket.returned }">{{ standing(ticket) }}</span>
      <span class="number due" :class="{ pressing: isPressing(ticket.due_at) }">{{ dueText(ticket.due_at) }}</span>
    </RouterLink>
  </main>
</template>

<style scoped>
.board { padding: 14px 16px; display: grid; gap: 7px; }
.note { padding: 24px; background: var(--paper); border-radius: 3px; }
.stub {
  display: grid; grid-template-columns: 112px 220px minmax(0, 1fr) 150px 150px 130px; align-items: center; gap: 14px;
  height: 76px; background: var(--paper); border-radius: 3px; box-shadow: 0 1px 0 var(--rule); text-decoration: none; padding-right: 14px;
}
.stub:hover, .stub:focus-visible { background: var(--sheet); outline: 2px solid var(--fern); outline-offset: -2px; }
.tag { align-self: stretch; flex-direction: column; align-items: flex-start; justify-content: center; gap: 9px; padding-right: 10px; border-radius: 3px 0 0 3px; }
.what { display: grid; gap: 2px; }
.what strong { font-size: 14px; }
.strip { display: flex; gap: 4px; align-items: center; overflow: hidden; height: 56px; }
.strip img { height: 56px; min-width: 50px; max-width: 100px; object-fit: cover; }
.progress { display: grid; gap: 4px; }
.squares { display: flex; flex-wrap: wrap; gap: 2px; }
.squares i { width: 9px; height: 9px; border: 1px solid var(--soft-ink); }
.squares i.back { border-color: var(--short); background: linear-gradient(135deg, transparent 45%, var(--short) 45%); }
.squares i.done { background: var(--fern); border-color: var(--fern); }
.standing.back, .pressing { color: var(--short); }
.due { text-align: right; }
</style>
