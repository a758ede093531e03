<script setup lang="ts">
import { onMounted, ref } from 'vue'

import { api, Problem, taken, type Schemas } from '../api/client'
import TicketTag from '../parts/TicketTag.vue'

const props = defineProps<{ token: string }>()
const page = ref<Schemas['ProofPage'] | null>(null)
const problem = ref('')
const before = ref<string | null>(null)
const pin = ref<{ photo: string; x: number; y: number } | null>(null)
const text = ref('')

async function load() {
  try {
    page.value = taken(await api.GET('/api/proofs/{token}', { params: { path: { token: props.token } } }))
  } catch (error) {
    problem.value = error instanceof Problem ? error.message : 'The server cannot be reached. Try again in a moment.'
  }
}
onMounted(load)

async function act(work: () => Promise<unknown>) {
  try {
    await work()
    problem.value = ''
  } catch (error) {
    problem.value = error instanceof Problem ? `${error.message} ${error.hint}` : 'The server cannot be reached. Try again in a moment.'
  }
}
function point(photo: string, event: MouseEvent) {
  const box = (event.currentTarget as HTMLElement).getBoundingClientRect()
  pin.value = { photo, x: (event.clientX - box.left) / box.width, y: (event.clientY - box.top) / box.height }
  text.value = ''
}
const keep = () =>
  act(async () => {
    const at = pin.value
    if (!at || !text.value.trim()) return
    const path = { token: props.token, photo: at.photo }
    taken(await api.POST('/api/proofs/{token}/{photo}/notes', { params: { path }, body: { text: text.value.trim(), author: '', x: at.x, y: at.y } }))
    pin.value = null
    await load()
  })
const approve = (photo: Schemas['ProofPhoto']) =>
  act(async () => {
    const path = { token: props.token, photo: photo.id }
    taken(await api.PUT('/api/proofs/{token}/{photo}/approval', { params: { path }, body: { approved: !photo.approved } }))
    await load()
  })
</script>

<template>
  <header class="head"><TicketTag :number="page?.number ?? 'PROOFS'" class="tag" /><h1>{{ page?.title }}</h1><span class="soft">proofs for {{ page?.client }}</span></header>
  <main class="proofs">
    <p v-if="problem" class="problem" role="alert">{{ problem }}</p>
    <p v-if="page" class="soft">Click on a picture to pin a note there. Hold “as it came” to compare.</p>
    <p v-else-if="!problem">Loading the proofs…</p>
    <article v-for="photo in page?.photos ?? []" :key="photo.id" class="photo">
      <div class="picture" :style="{ aspectRatio: `${photo.width} / ${photo.height}` }" @click="point(photo.id, $event)">
        <img :src="`/api/proofs/${token}/${photo.id}/picture`" :alt="photo.title" loading="lazy" />
        <img v-if="before === photo.id" class="before" :src="`/api/proofs/${token}/${photo.id}/thumbnail`" alt="as it came" />
        <template v-for="(note, index) in photo.notes" :key="note.id"><span v-if="note.x != null && note.y != null" class="pin number" :style="{ left: `${100 * note.x}%`, top: `${100 * note.y}%` }">{{ index + 1 }}</span></template>
        <span v-if="pin?.photo === photo.id" class="pin new" :style="{ left: `${100 * pin.x}%`, top: `${100 * pin.y}%` }"></span>
      </div>
      <div class="words">
        <h2>{{ photo.title }}</h2>
        <p><button class="plain" type="button" @pointerdown="before = photo.id" @pointerup="before = null" @pointerleave="before = null">as it came</button></p>
        <ol><li v-for="note in photo.notes" :key="note.id" :class="{ done: note.done_at }">{{ note.text }}<span v-if="note.done_at" class="soft"> · done</span></li></ol>
        <form v-if="pin?.photo === photo.id" @submit.prevent="keep">
          <textarea v-model="text" rows="3" maxlength="2000" aria-label="Note" placeholder="What should change here?"></textarea>
          <button class="plain" type="submit">Pin it</button> <button class="plain" type="button" @click="pin = null">Leave it</button>
        </form>
        <button class="approve" type="button" :aria-pressed="photo.approved" @click="approve(photo)">{{ photo.approved ? 'Approved' : 'Approve' }}</button>
      </div>
    </article>
  </main>
</template>

<style scoped>
.head { display: flex; align-items: center; gap: 12px; height: 40px; background: var(--bar); border-bottom: 1px solid var(--hairline); }
.head h1 { font-size: 13.5px; }
.tag { align-self: stretch; width: 178px; }
.proofs { padding: 14px 16px; display: grid; gap: 12px; height: calc(100% - 40px); overflow: auto; align-content: start; }
.problem { padding: 10px 12px; background: var(--short-ground); color: var(--short); border-radius: 3px; }
.photo { display: grid; grid-template-columns: minmax(0, 1fr) 290px; background: var(--paper); border-radius: 3px; }
.picture { position: relative; max-height: calc(100vh - 130px); margin: 8px auto; max-width: calc(100% - 16px); cursor: crosshair; background: var(--deck); }
.picture img { width: 100%; height: 100%; display: block; object-fit: contain; }
.picture .before { position: absolute; inset: 0; }
.pin { position: absolute; width: 22px; height: 22px; margin: -11px; border-radius: 50%; background: var(--paper); border: 1.5px solid var(--ink); display: grid; place-items: center; pointer-events: none; }
.pin.new { border-style: dashed; }
.words { padding: 12px; display: grid; gap: 10px; align-content: start; border-left: 1px solid var(--hairline); }
.words h2 { font-size: 15px; }
.words ol { margin: 0; padding-left: 18px; }
.done { color: var(--soft-ink); }
textarea { width: 100%; font: inherit; margin-bottom: 6px; }
.approve { padding: 7px 12px; font: inherit; font-weight: 650; border: 1px solid var(--fern); border-radius: 3px; background: var(--sheet); color: var(--deep-fern); cursor: pointer; }
.approve[aria-pressed='true'] { background: var(--fern); color: #fff; }
</style>
