<script setup lang="ts">
import Button from 'primevue/button'
import ProgressBar from 'primevue/progressbar'
import { computed, onBeforeUnmount, onMounted, reactive, ref, shallowRef, watch } from 'vue'

import { api, taken, type Schemas } from '../../api/client'
import { clock } from '../../parts/due'
import { useSaying } from '../../useSaying'
import { theBench } from '../useBench'

const bench = theBench()
const { sayError } = useSaying()
const page = shallowRef<Schemas['HandOverPage'] | null>(null)
const asking = ref(false)
const renditions = ref<('web' | 'profile')[]>([])
const form = reactive({ title: '', caption: '', keywords: '', creator: '', credit: '', copyright: '' })
let known = { ...form }
watch(() => bench.page.value?.photo, (photo) => {
  if (!photo) return
  const { creator, caption, credit, copyright } = photo.facts
  const fresh = { title: photo.title, creator, caption, credit, copyright, keywords: photo.facts.keywords.join(', ') }
  // what was typed since and is not saved yet stays
  for (const field of Object.keys(fresh) as (keyof typeof fresh)[]) if (form[field] === known[field]) form[field] = fresh[field]
  known = fresh
}, { immediate: true })
async function sayFacts() {
  const { title, keywords, ...rest } = form
  await bench.round.sayFacts(title.trim() || 'untitled', { ...rest, keywords: keywords.split(',').map((word) => word.trim()).filter(Boolean) })
}
let timer: ReturnType<typeof setTimeout> | undefined

const path = { photo: bench.photo }
const latest = computed(() => page.value?.past[0] ?? null)
const running = computed(() => ['waiting', 'rendering', 'delivering'].includes(latest.value?.state ?? ''))
const moving = computed(() => running.value || latest.value?.state === 'delivered')
const short = computed(() => bench.verdicts.value.filter((line) => line.state !== 'holds'))
const changedSince = computed(() => latest.value !== null && latest.value.revision !== bench.ledger.value?.revision)

const words: Record<string, string> = {
  waiting: 'waiting for a worker', rendering: 'rendering', delivering: 'on its way to the desk', delivered: 'the desk looks at it', superseded: 'superseded by a later one', accepted: 'accepted by the desk',
  returned: 'returned by the desk', failed: 'failed', cancelled: 'cancelled',
}

async function load() {
  clearTimeout(timer)
  try {
    // the client's types make a list of a box's four numbers
    page.value = taken(await api.GET('/api/photos/{photo}/hand-overs', { params: { path } })) as Schemas['HandOverPage']
  } catch (error) {
    return sayError(error)
  }
  if (moving.value) timer = setTimeout(load, 350)
}
onMounted(load)
watch(() => bench.ledger.value?.revision, load)
onBeforeUnmount(() => clearTimeout(timer))

async function handOver() {
  asking.value = true
  try {
    taken(await api.POST('/api/photos/{photo}/hand-overs', { params: { path }, body: { expected: bench.ledger.value?.revision ?? 0, renditions: renditions.value } }))
  } catch (error) {
    sayError(error)
  }
  asking.value = false
  await load()
}
async function cancel() {
  if (!latest.value) return
  await api.POST('/api/photos/{photo}/hand-overs/{hand_over}/cancel', { params: { path: { ...path, hand_over: latest.value.id } } })
  await load()
}
function megabytes(bytes: number | null | undefined): string {
  return bytes ? `${(bytes / 1e6).toFixed(2)} MB` : ''
}
</script>

<template>
  <div v-if="page" class="deck">
    <div class="side">
      <h3 class="heading">To the {{ page.desk }}</h3>
      <p class="row"><span>name</span><span class="number name" :title="page.file_name">{{ page.file_name }}</span></p>
      <p class="row"><span>file</span><span class="number">{{ page.format }} {{ page.format === 'JPEG' ? page.quality : '' }} · {{ page.long_side ?? 'own' }} px</span></p>
      <p v-if="short.length" class="small open">{{ short.length }} of the slip's lines {{ short.length === 1 ? 'does' : 'do' }} not hold yet</p>
      <p class="row small"><label><input v-model="renditions" type="checkbox" value="web" /> web 900</label><label><input v-model="renditions" type="checkbox" value="profile" /> profile 180</label></p>
      <Button class="go" size="small" :label="short.length ? `Hand over all the same` : 'Hand over now'" :loading="asking" :disabled="running" @click="handOver" />
    </div>
    <form class="facts" @change="sayFacts" @submit.prevent @keydown.stop>
      <h3 class="heading">Goes with it</h3>
      <label><span>title</span><input v-model="form.title" maxlength="120" /></label>
      <label><span>creator</span><input v-model="form.creator" maxlength="200" /></label>
      <label class="wide"><span>caption</span><input v-model="form.caption" maxlength="2000" /></label>
      <label class="wide"><span>keywords</span><input v-model="form.keywords" placeholder="with commas between" /></label>
      <label><span>credit</span><input v-model="form.credit" maxlength="200" /></label>
      <label><span>copyright</span><input v-model="form.copyright" maxlength="300" /></label>
    </form>
    <div class="now">
      <h3 class="heading">At the desk</h3>
      <p v-if="!latest" class="soft">Not handed over yet. The desk opens the file itself and answers with a receipt or a return.</p>
      <template v-else>
        <p class="state" :class="latest.state">
          <strong>{{ words[latest.state] }}</strong>
          <span v-if="latest.receipt" class="number">{{ latest.state === 'returned' ? 'return' : 'receipt' }} {{ latest.receipt }}</span>
          <button v-if="['waiting', 'rendering'].includes(latest.state)" class="plain" type="button" @click="cancel">Cancel</button>
        </p>
        <p v-if="latest.state === 'delivering' && latest.attempts" class="soft">The desk does not answer; tried {{ latest.attempts }} {{ latest.attempts === 1 ? 'time' : 'times' }}, and again by itself.</p>
        <ProgressBar v-if="running" :value="Math.round(100 * latest.progress)" class="progress" />
        <ul v-if="latest.reasons.length" class="reasons"><li v-for="reason in latest.reasons" :key="reason">{{ reason }}</li></ul>
        <p v-if="changedSince && !moving" class="soft small">The photo was changed since. Hand it over again for the desk to see that.</p>
      </template>
    </div>
    <div class="past">
      <h3 class="heading">Deliveries</h3>
      <p v-if="page.past.length === 0" class="soft">None.</p>
      <p v-for="one in page.past" :key="one.id" class="row">
        <span class="number when">{{ clock(one.asked_at) }}</span>
        <a v-if="one.blob" :href="`/api/hand-overs/${one.id}/file`" :title="`Download ${one.file_name}`">{{ one.file_name }}</a>
        <span v-else>{{ one.file_name }}</span>
        <span class="number size">{{ megabytes(one.bytes) }}</span>
        <span class="verdict" :class="one.state">{{ one.state }}</span>
      </p>
    </div>
  </div>
  <p v-else class="loading">Loading…</p>
</template>

<style scoped>
.deck { display: grid; grid-template-columns: 262px minmax(330px, 1.2fr) minmax(220px, 0.8fr) minmax(330px, 1.1fr); height: 100%; }
.facts { display: grid; grid-template-columns: 1fr 1fr; gap: 3px 10px; align-content: start; }
.facts .heading, .facts .wide { grid-column: 1 / 3; }
.facts label { display: grid; grid-template-columns: 58px 1fr; align-items: center; gap: 6px; color: var(--soft-ink); }
.facts input { min-width: 0; padding: 2px 5px; font: inherit; color: var(--ink); border: 1px solid var(--hairline); background: var(--sheet); }
.deck > * { padding: 9px 14px; overflow: auto; border-right: 1px solid var(--hairline); }
.row { display: flex; gap: 10px; align-items: baseline; padding: 1.5px 0; white-space: nowrap; }
.side .row { justify-content: space-between; }
.name { overflow: hidden; text-overflow: ellipsis; }
.heading { margin-bottom: 5px; }
.go { margin-top: 5px; width: 100%; }
.open { color: var(--short); }
.state { display: flex; gap: 12px; align-items: center; font-size: 14px; }
.state.accepted strong { color: var(--deep-fern); }
.state.returned strong, .state.failed strong { color: var(--short); }
.progress { height: 14px; margin-top: 8px; font-size: 12px; }
.reasons { margin: 6px 0; padding-left: 16px; color: var(--short); }
.past a { text-decoration: underline; }
.size { margin-left: auto; font-weight: 500; }
.verdict { width: 66px; font-weight: 600; }
.verdict.accepted { color: var(--deep-fern); }
.verdict.returned, .verdict.failed { color: var(--short); }
.loading { padding: 14px; }
</style>
