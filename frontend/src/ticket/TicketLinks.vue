<script setup lang="ts">
import Button from 'primevue/button'
import InputNumber from 'primevue/inputnumber'
import InputText from 'primevue/inputtext'
import { onMounted, ref } from 'vue'

import { api, taken, type Schemas } from '../api/client'
import { dueText } from '../common/due'

/** Links for people outside: to see proofs, to take what was made, to bring photos. */
const props = defineProps<{ number: string; act: (work: () => Promise<unknown>) => Promise<void> }>()
const path = { number: props.number }
const days = ref(30)
/** How much may be brought by a link, gigabytes. */
const room = ref(4)
const made = ref('')
/** Whether what was made lies on the clipboard: it has none where the page comes over plain HTTP from another machine. */
const copied = ref(false)
const links = ref<Schemas['LinkRow'][]>([])

async function load() {
  links.value = (await api.GET('/api/tickets/{number}/links', { params: { path } })).data ?? []
}
onMounted(load)
const make = (ask: () => Promise<string>) =>
  props.act(async () => {
    made.value = location.origin + (await ask())
    // lib.dom has it everywhere; a page that is not secure has none
    const clipboard = navigator.clipboard as Clipboard | undefined
    copied.value = clipboard ? await clipboard.writeText(made.value).then(() => true, () => false) : false
    await load()
  })
const proofs = () => make(async () => taken(await api.POST('/api/tickets/{number}/links/proofs', { params: { path }, body: { days: days.value } })).path)
const take = () => make(async () => taken(await api.POST('/api/tickets/{number}/links/take', { params: { path }, body: { days: days.value } })).path)
const bring = () =>
  make(async () => {
    const body = { days: days.value, megabytes: 1000 * room.value }
    return taken(await api.POST('/api/tickets/{number}/links/bring', { params: { path }, body })).path
  })
const end = (link: string) =>
  props.act(async () => {
    taken(await api.DELETE('/api/links/{link}', { params: { path: { link } } }))
    await load()
  })
const gigabytes = (bytes: number) => (bytes / 1e9).toFixed(1)
const said = ({ kind, come, room }: Schemas['LinkRow']) =>
  ({ proofs: 'proofs', take: 'to take', bring: `to bring, ${gigabytes(come)} of ${gigabytes(room)} GB` })[kind]
</script>

<template>
  <h2 class="heading">Links</h2>
  <p class="make">
    <Button v-tooltip.top="'Proofs, notes and approval'" severity="secondary" label="for proofs" aria-label="Make a link for proofs" @click="proofs" />
    <Button
      v-tooltip.top="'Everything that was handed over'" severity="secondary" label="to take" aria-label="Make a link to take what was made"
      @click="take"
    />
    <Button v-tooltip.top="'Photos come to this ticket'" severity="secondary" label="to bring" aria-label="Make a link to bring photos" @click="bring" />
  </p>
  <p class="terms small">
    <label>for <InputNumber v-model="days" :min="1" :max="365" size="small" aria-label="Days until a link ends" /> days,</label>
    <label>up to <InputNumber v-model="room" :min="1" :max="200" size="small" aria-label="How much may be brought, gigabytes" /> GB</label>
  </p>
  <p v-if="made">
    <InputText class="link-field" :model-value="made" readonly aria-label="Link for the client" @focus="($event.target as HTMLInputElement).select()" />
    <span class="small soft">{{ copied ? 'Copied.' : 'Copy it from here.' }} Whoever has it needs nothing else.</span>
  </p>
  <p v-for="link in links" :key="link.id" class="small row">
    <span>{{ said(link) }}, used {{ link.used }} ×</span>
    <span v-if="link.ended" class="soft">ended</span>
    <template v-else><span class="soft">to {{ dueText(link.ends_at) }}</span><Button link label="end" @click="end(link.id)" /></template>
  </p>
</template>

<style scoped>
.make { display: flex; flex-wrap: wrap; gap: 5px; }
.terms { display: flex; flex-wrap: wrap; gap: 4px 8px; margin-top: 5px; }
.terms :deep(input) { width: 46px; }
.heading { margin-bottom: 4px; }
.link-field { width: 100%; margin-top: 6px; font: 12px var(--mono); }
.row { display: flex; gap: 8px; align-items: baseline; justify-content: space-between; }
</style>
