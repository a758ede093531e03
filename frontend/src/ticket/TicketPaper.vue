<script setup lang="ts">
import Button from 'primevue/button'
import MultiSelect from 'primevue/multiselect'
import Select from 'primevue/select'
import { computed, onMounted, ref } from 'vue'

import { api, taken, type Schemas } from '../api/client'
import { dueText, isPressing, moment } from '../common/due'
import TicketHours from './TicketHours.vue'
import TicketLinks from './TicketLinks.vue'

/** What the ticket says: brief, slip, who works on it, where it goes, what happened. */
const props = defineProps<{ page: Schemas['TicketPage']; lead: boolean; act: (work: () => Promise<unknown>) => Promise<void> }>()
const path = { number: props.page.ticket.number }
const people = ref<Schemas['AtWork'][]>([])
const library = ref<Schemas['SlipView'][]>([])
const ways = ref<Schemas['WayRow'][]>([])
const changes = ref<{ slip: string; lines: Schemas['Difference'][] } | null>(null)

onMounted(async () => {
  library.value = (await api.GET('/api/slips')).data ?? []
  if (!props.lead) return
  people.value = (await api.GET('/api/people-at-work')).data ?? []
  ways.value = (await api.GET('/api/ways')).data ?? []
})
const editors = computed(() => props.page.editors.map((one) => one.id))
const goes = computed(() => props.page.ways.map((one) => one.id))
const now = computed(() => {
  const { slip_name: name, ticket } = props.page
  return library.value.find((kept) => kept.slip.name === name && kept.version === ticket.slip_version)?.id ?? null
})
/** What the ticket goes by where the library has a newer version. */
const agreed = computed(() => (now.value ? undefined : `${props.page.slip_name}, version ${props.page.ticket.slip_version}`))
const slips = computed(() => library.value.map(({ id, slip, version }) => ({ id, label: `${slip.name}, version ${version}` })))

const assign = (chosen: string[]) =>
  props.act(async () => taken(await api.PUT('/api/tickets/{number}/editors', { params: { path }, body: { editors: chosen } })))
const send = (chosen: string[]) =>
  props.act(async () => taken(await api.PUT('/api/tickets/{number}/ways', { params: { path }, body: { ways: chosen } })))
/** What another slip would change is shown before it is put on the ticket. */
async function lookAt(slip: string) {
  const params = { path: { ...path, slip } }
  changes.value = { slip, lines: taken(await api.GET('/api/tickets/{number}/slip/changes/{slip}', { params })) }
}
const putSlip = () =>
  props.act(async () => {
    const slip = changes.value?.slip
    changes.value = null
    if (slip) taken(await api.PUT('/api/tickets/{number}/slip', { params: { path }, body: { slip } }))
  })
</script>

<template>
  <aside class="paper">
    <p v-if="page.ticket.state !== 'open'" class="state" role="status">
      <b>{{ page.ticket.state === 'closed' ? 'Closed' : 'On hold' }}</b>{{ page.ticket.reason ? `: ${page.ticket.reason}` : '' }}
    </p>
    <h2 class="heading">Brief</h2>
    <p class="brief">{{ page.ticket.brief || 'Nothing is written yet.' }}</p>
    <p v-if="page.taste" class="brief soft">{{ page.ticket.client }}: {{ page.taste }}</p>
    <p v-for="one in page.ticket.requests" :key="one.photo + one.request" class="small"><b>{{ one.photo }}</b> {{ one.request }}</p>
    <p class="row"><span>due</span><span class="number" :class="{ pressing: isPressing(page.ticket.due_at) }">{{ dueText(page.ticket.due_at) }}</span></p>
    <label v-if="lead" class="row goes"><span>who</span>
      <MultiSelect
        :model-value="editors" :options="people" option-label="name" option-value="id" placeholder="nobody yet" filter aria-label="Who works on it"
        @update:model-value="assign"
      />
    </label>
    <p v-else class="row"><span>who</span><span>{{ page.editors.map((one) => one.name).join(', ') || 'nobody yet' }}</span></p>
    <label v-if="lead" class="row goes"><span>goes to</span>
      <MultiSelect
        :model-value="goes" :options="ways" option-label="name" option-value="id" placeholder="no way out yet" aria-label="Where its photos go"
        @update:model-value="send"
      />
    </label>
    <p v-else class="row"><span>goes to</span><span>{{ page.ways.map((one) => one.name).join(', ') || 'no way out yet' }}</span></p>
    <div class="tear"></div>
    <h2 class="heading">Slip · {{ page.slip_name }} <span class="soft version">version {{ page.ticket.slip_version }}</span></h2>
    <p v-for="(line, index) in page.asks" :key="index" class="row">
      <span>{{ line.what === line.asks ? 'by eye' : line.what }}</span><span class="number">{{ line.asks }}</span>
    </p>
    <label v-if="lead" class="row goes"><span>goes by</span>
      <Select
        :model-value="changes?.slip ?? now" :options="slips" option-label="label" option-value="id" :placeholder="agreed"
        aria-label="The slip it goes by" @update:model-value="lookAt"
      />
    </label>
    <div v-if="changes" class="changes" role="status">
      <p v-if="changes.lines.length === 0">Nothing would change.</p>
      <p v-for="(one, index) in changes.lines" :key="index" class="small">
        <b>{{ one.what }}</b> {{ one.kind === 'changed' ? `${one.before} becomes ${one.after}` : `${one.kind}: ${one.before || one.after}` }}
      </p>
      <Button label="Go by it" @click="putSlip" /> <Button severity="secondary" label="Leave it" @click="changes = null" />
    </div>
    <div class="tear"></div>
    <TicketLinks :number="page.ticket.number" :act="act" />
    <div class="tear"></div>
    <TicketHours :number="page.ticket.number" :lead="lead" :people="people" :act="act" />
    <div class="tear"></div>
    <h2 class="heading">What happened</h2>
    <ol class="events">
      <li v-for="event in page.events" :key="event.id">
        <span class="number">{{ moment(event.made_at) }}</span>
        <span><b v-if="event.photo_title">{{ event.photo_title }}: </b>{{ event.what }} <span class="soft">({{ event.who }})</span></span>
      </li>
    </ol>
  </aside>
</template>

<style scoped>
.paper { background: var(--paper); padding: 14px 12px; border-right: 1px solid var(--hairline); overflow: auto; }
.state { margin: -14px -12px 12px; padding: 8px 12px; background: var(--deck); border-bottom: 1px solid var(--hairline); }
.brief { margin: 8px 0 12px; white-space: pre-line; }
.row { display: flex; justify-content: space-between; gap: 8px; padding: 3px 0; align-items: center; }
.row .number { text-align: right; }
.row span:first-child { white-space: nowrap; }
.row > .p-multiselect, .row > .p-select { min-width: 0; max-width: 180px; flex: 1; }
.heading { margin-bottom: 4px; }
.version { text-transform: none; letter-spacing: 0; font-weight: 400; }
.tear { margin: 14px -12px; }
.paper :deep(.p-button) { margin-top: 6px; }
.changes { padding: 6px 8px; background: var(--sheet); border-radius: 3px; }
.events { margin: 6px 0 0; padding: 0; list-style: none; display: grid; gap: 5px; }
.events li { display: grid; grid-template-columns: 76px 1fr; gap: 8px; font-size: 12.5px; overflow-wrap: anywhere; }
.pressing { color: var(--short); }
@media (max-width: 820px) { .paper { border-right: 0; } }
</style>
