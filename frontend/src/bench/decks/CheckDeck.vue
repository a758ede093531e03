<script setup lang="ts">
import Button from 'primevue/button'
import Dialog from 'primevue/dialog'
import InputText from 'primevue/inputtext'
import ProgressBar from 'primevue/progressbar'
import SelectButton from 'primevue/selectbutton'
import Textarea from 'primevue/textarea'
import { useTimeoutFn } from '@vueuse/core'
import { computed, onMounted, ref, shallowRef, watch } from 'vue'

import { api, taken, type Schemas } from '../../api/client'
import { clock } from '../../common/due'
import { tryingWith } from '../../common/trying'
import { useSaying } from '../../common/useSaying'
import SphereViewer from '../../parts/SphereViewer.vue'
import { theBench } from '../useBench'
import DeckFrame from './DeckFrame.vue'
import { useFacts } from './useFacts'

const { photo, ledger, frames, view } = theBench()
/** The delivery is looked at from inside. */
const inside = ref(false)
const { sayError } = useSaying()
const trying = tryingWith(sayError)
const page = shallowRef<Schemas['HandOverPage'] | null>(null)
const asking = ref(false)
/** Milliseconds until what is moving is asked for again, and until a server that is away is. */
const SOON = 350
const LATER = 3000
const SIZES = [{ name: 'web', title: 'web 900' }, { name: 'profile', title: 'profile 180' }] as const
const renditions = ref<('web' | 'profile')[]>([])
const { form, fields, keep } = useFacts()

const path = { photo: ledger.photo }
const latest = computed(() => page.value?.past[0] ?? null)
const running = computed(() => ['waiting', 'rendering', 'delivering'].includes(latest.value?.state ?? ''))
/** Whether something comes by itself: an answer, or the end that all answers come to, which may be kept a moment later. */
const moving = computed(() => {
  const waiting = latest.value?.deliveries.filter((one) => one.state === 'delivered') ?? []
  return running.value || waiting.some((one) => one.answers === 'itself') || (latest.value?.state === 'delivered' && waiting.length === 0)
})
const short = computed(() => frames.verdicts.filter((line) => line.state !== 'holds').length)
const changedSince = computed(() => latest.value !== null && latest.value.revision !== ledger.revision)

const words: Record<string, string> = {
  waiting: 'waiting for a worker', rendering: 'rendering', delivering: 'on its way', delivered: 'there, and waits for the answer',
  superseded: 'superseded by a later one', accepted: 'accepted', returned: 'returned', failed: 'failed', cancelled: 'cancelled',
}
const WAY: Record<Schemas['Delivery']['state'], string> = {
  waiting: 'on its way', delivered: 'there', accepted: 'accepted', returned: 'returned', failed: 'failed',
}
const receiver = computed(() => page.value?.ways.map((way) => way.name).join(' and ') ?? '')
/** Whose answer a person notes: a receiver that says nothing by itself. */
const asked = computed(() => latest.value?.deliveries.find((one) => one.state === 'delivered' && one.answers === 'person'))
const reasons = ref('')
const returning = ref(false)

const pause = ref(SOON)
const { start: loadSoon, stop: doNotLoad } = useTimeoutFn(load, pause, { immediate: false })
async function load() {
  doNotLoad()
  try {
    page.value = taken(await api.GET('/api/photos/{photo}/hand-overs', { params: { path } })) as Schemas['HandOverPage']
    pause.value = SOON
  } catch (error) {
    if (pause.value === SOON) sayError(error)
    pause.value = LATER
  }
  if (moving.value) loadSoon()
}
onMounted(load)
watch(() => ledger.revision, load)

async function handOver() {
  asking.value = true
  await trying(async () => {
    const body = { expected: ledger.revision ?? 0, renditions: renditions.value }
    taken(await api.POST('/api/photos/{photo}/hand-overs', { params: { path }, body }))
  })
  asking.value = false
  await load()
}
async function cancel() {
  if (!latest.value) return
  const params = { path: { ...path, hand_over: latest.value.id } }
  await api.POST('/api/photos/{photo}/hand-overs/{hand_over}/cancel', { params })
  await load()
}
const answer = (accepted: boolean) =>
  trying(async () => {
    if (!latest.value || !asked.value) return
    const params = { path: { hand_over: latest.value.id, way: asked.value.way } }
    const body = { accepted, reasons: accepted ? [] : reasons.value.split('\n').filter((one) => one.trim()) }
    taken(await api.PUT('/api/hand-overs/{hand_over}/answers/{way}', { params, body }))
    returning.value = false
    reasons.value = ''
    await load()
  })
function megabytes(bytes: number | null | undefined): string {
  return bytes ? `${(bytes / 1e6).toFixed(2)} MB` : ''
}
</script>

<template>
  <DeckFrame v-if="page">
    <template #tools>
      <span class="heading">{{ receiver ? `To ${receiver}` : 'No way out yet' }}</span>
      <span v-tooltip.top="page.file_name" class="number name">{{ page.file_name }}</span>
      <Button
        v-if="view.around.sphere" v-tooltip.top="'The file as it will be handed over, in a viewer that is not ours'" size="small" severity="secondary"
        label="Look around in the delivery" @click="inside = true"
      />
      <Dialog v-model:visible="inside" modal header="The delivery, looked at from inside" :style="{ width: '86vw' }">
        <div class="inside"><SphereViewer :src="`/api/photos/${photo}/around/delivered?revision=${ledger.revision}`" :title="page.file_name" /></div>
      </Dialog>
      <span class="number soft">{{ page.format }} {{ page.format === 'JPEG' ? page.quality : '' }} · {{ page.long_side ?? 'own' }} px</span>
    </template>
    <template #acts>
      <span v-if="short" class="open">{{ short }} of the slip's lines {{ short === 1 ? 'does' : 'do' }} not hold yet</span>
      <SelectButton v-model="renditions" multiple :options="[...SIZES]" option-label="title" option-value="name" aria-label="Further sizes" />
      <Button :label="short ? 'Hand over all the same' : 'Hand over now'" :loading="asking" :disabled="running || !receiver" @click="handOver" />
    </template>
    <div class="columns">
      <form class="facts" aria-label="Goes with it" @change="keep" @submit.prevent @keydown.stop>
        <label v-for="field in fields" :key="field.name" :class="{ wide: field.wide }">
          <span>{{ field.name }}</span>
          <InputText v-model="form[field.name]" :maxlength="field.most" :placeholder="field.hint" />
        </label>
      </form>
      <div class="now">
        <h3 class="heading">At the receiver</h3>
        <p v-if="!receiver" class="soft">The ticket says nothing of where its photos go. Those who lead choose it on the ticket's page.</p>
        <p v-else-if="!latest" class="soft">Not handed over yet.</p>
        <template v-else>
          <p class="state" :class="latest.state">
            <strong>{{ words[latest.state] }}</strong>
            <span v-if="latest.receipt" class="number">{{ latest.state === 'returned' ? 'return' : 'receipt' }} {{ latest.receipt }}</span>
            <Button v-if="['waiting', 'rendering'].includes(latest.state)" severity="secondary" label="Cancel" @click="cancel" />
          </p>
          <ProgressBar v-if="running" :value="Math.round(100 * latest.progress)" :aria-label="words[latest.state]" />
          <p v-for="one in latest.deliveries" :key="one.way" class="delivery">
            <span>{{ one.name }}: <b :class="one.state">{{ WAY[one.state] }}</b></span>
            <span v-if="one.trouble" class="soft">
              {{ one.trouble }} Tried {{ one.attempts }} {{ one.attempts === 1 ? 'time' : 'times' }}, and again by itself.
            </span>
          </p>
          <form v-if="asked" class="answer" @submit.prevent="answer(!returning)" @keydown.stop>
            <span>What did {{ asked.name }} say?</span>
            <template v-if="returning">
              <Textarea v-model="reasons" rows="2" required autofocus placeholder="why it came back, a line each" aria-label="Reasons" />
              <Button type="submit" label="It came back" /> <Button severity="secondary" label="Leave it" @click="returning = false" />
            </template>
            <template v-else><Button type="submit" label="Accepted" /> <Button severity="secondary" label="Came back…" @click="returning = true" /></template>
          </form>
          <ul v-if="latest.reasons.length" class="reasons"><li v-for="reason in latest.reasons" :key="reason">{{ reason }}</li></ul>
          <p v-if="changedSince && !moving" class="soft small">The photo was changed since. Hand it over again for them to see that.</p>
        </template>
      </div>
      <div class="past">
        <h3 class="heading">Deliveries</h3>
        <p v-if="page.past.length === 0" class="soft">None.</p>
        <p v-for="one in page.past" :key="one.id" class="row">
          <span class="number">{{ clock(one.asked_at) }}</span>
          <a v-if="one.blob" v-tooltip.top="`Download ${one.file_name}`" :href="`/api/hand-overs/${one.id}/file`">{{ one.file_name }}</a>
          <span v-else>{{ one.file_name }}</span>
          <span class="number size">{{ megabytes(one.bytes) }}</span>
          <span class="verdict" :class="one.state">{{ one.state }}</span>
        </p>
      </div>
    </div>
  </DeckFrame>
  <p v-else class="loading">Loading…</p>
</template>

<style scoped>
.inside { height: 68vh; }
.columns { display: grid; grid-template-columns: minmax(380px, 1.2fr) minmax(190px, 0.95fr) minmax(270px, 1fr); gap: 26px; height: 100%; }
.columns > * { min-width: 0; overflow: auto; scrollbar-width: thin; }
.facts { display: grid; grid-template-columns: 1fr 1fr; gap: 3px 12px; align-content: start; }
.facts .wide { grid-column: 1 / 3; }
.facts label { display: grid; grid-template-columns: 58px 1fr; align-items: center; gap: 6px; color: var(--soft-ink); }
.facts label > :deep(input) { min-width: 0; min-height: 24px; padding: 1px 6px; }
.row { display: flex; gap: 10px; align-items: baseline; min-height: 24px; white-space: nowrap; }
.row a { display: inline-block; padding: 3px 0; overflow: hidden; text-overflow: ellipsis; }
.name { overflow: hidden; text-overflow: ellipsis; max-width: 260px; }
.now .heading, .past .heading { margin: 4px 0 5px; }
.open { color: var(--short); }
.state { display: flex; gap: 12px; align-items: center; font-size: 14px; }
.state.accepted strong { color: var(--deep-fern); }
.state.returned strong, .state.failed strong { color: var(--short); }
.reasons { margin: 6px 0; padding-left: 16px; color: var(--short); }
.delivery { display: grid; min-height: 20px; }
.delivery b.accepted { color: var(--deep-fern); }
.delivery b.returned, .delivery b.failed { color: var(--short); }
.answer { display: flex; flex-wrap: wrap; gap: 6px 8px; align-items: center; margin: 4px 0; }
.answer textarea { flex-basis: 100%; }
.size { margin-left: auto; font-weight: 500; }
.verdict { width: 66px; font-weight: 600; }
.verdict.accepted { color: var(--deep-fern); }
.verdict.returned, .verdict.failed { color: var(--short); }
.loading { padding: 14px; }
</style>
