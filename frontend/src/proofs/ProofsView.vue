<script setup lang="ts">
import Button from 'primevue/button'
import Message from 'primevue/message'
import Skeleton from 'primevue/skeleton'
import Textarea from 'primevue/textarea'
import ToggleButton from 'primevue/togglebutton'
import { onMounted, ref } from 'vue'

import { api, said, taken, type Schemas } from '../api/client'
import TicketTag from '../parts/TicketTag.vue'
import SphereViewer from '../parts/SphereViewer.vue'
import ProofPicture from './ProofPicture.vue'

const props = defineProps<{ token: string }>()
const page = ref<Schemas['ProofPage'] | null>(null)
const problem = ref('')
const before = ref<string | null>(null)
const pin = ref<{ photo: string; x: number; y: number } | null>(null)
const text = ref('')
/** The photo that is looked at from inside. */
const inside = ref<string | null>(null)

async function load() {
  try {
    page.value = taken(await api.GET('/api/proofs/{token}', { params: { path: { token: props.token } } }))
  } catch (error) {
    problem.value = said(error)
  }
}
onMounted(load)

async function act(work: () => Promise<unknown>) {
  try {
    await work()
    problem.value = ''
  } catch (error) {
    problem.value = said(error)
  }
}
function point(photo: string, x: number, y: number) {
  pin.value = { photo, x, y }
  text.value = ''
}
const keep = () =>
  act(async () => {
    const at = pin.value
    if (!at || !text.value.trim()) return
    const path = { token: props.token, photo: at.photo }
    const body = { text: text.value.trim(), x: at.x, y: at.y }
    taken(await api.POST('/api/proofs/{token}/{photo}/notes', { params: { path }, body }))
    pin.value = null
    await load()
  })
const approve = (photo: Schemas['ProofPhoto']) =>
  act(async () => {
    const path = { token: props.token, photo: photo.id }
    taken(await api.PUT('/api/proofs/{token}/{photo}/approval', { params: { path }, body: { approved: !photo.approved } }))
    await load()
  })
function hold(photo: string, on: boolean) {
  before.value = on ? photo : null
}
</script>

<template>
  <header class="head">
    <TicketTag :number="page?.number ?? 'PROOFS'" class="tag" />
    <h1>{{ page?.title }}</h1>
    <span class="soft">proofs for {{ page?.client }}</span>
  </header>
  <main class="proofs">
    <Message v-if="problem" severity="error">{{ problem }}</Message>
    <p v-if="page" class="soft">Tap a picture to pin a note there. Hold it to see it as it came; two fingers, or two taps, come closer.</p>
    <div v-else-if="!problem" role="status" aria-label="Loading the proofs"><Skeleton height="60vh" /></div>
    <article v-for="photo in page?.photos ?? []" :key="photo.id" class="photo">
      <div v-if="inside === photo.id" class="inside"><SphereViewer :src="`/api/proofs/${token}/${photo.id}/around`" :title="photo.title" /></div>
      <ProofPicture
        v-else :photo="photo" :token="token" :pin="pin?.photo === photo.id ? pin : null" :before="before === photo.id"
        @update:before="hold(photo.id, $event)" @pin="(x, y) => point(photo.id, x, y)"
      />
      <div class="words">
        <h2>{{ photo.title }}</h2>
        <ol v-if="photo.notes.length">
          <li v-for="note in photo.notes" :key="note.id" :class="{ done: note.done_at }">
            {{ note.text }}<span v-if="note.done_at" class="soft"> · done</span>
          </li>
        </ol>
        <form v-if="pin?.photo === photo.id" @submit.prevent="keep">
          <Textarea v-model="text" rows="3" :maxlength="2000" fluid aria-label="Note" placeholder="What should change here?" autofocus />
          <Button type="submit" severity="secondary" label="Pin it" />
          <Button severity="secondary" label="Leave it" @click="pin = null" />
        </form>
        <div class="acts">
          <Button
            v-if="photo.around" severity="secondary" :label="inside === photo.id ? 'flat' : 'look around'"
            @click="inside = inside === photo.id ? null : photo.id"
          />
          <Button
            v-if="inside !== photo.id" severity="secondary" label="as it came" @pointerdown="hold(photo.id, true)" @pointerup="hold(photo.id, false)"
            @pointerleave="hold(photo.id, false)" @keydown.space.prevent="hold(photo.id, true)" @keyup.space="hold(photo.id, false)"
          />
          <ToggleButton
            :model-value="photo.approved" class="approve" on-label="Approved" off-label="Approve"
            :aria-label="`${photo.approved ? 'Approved' : 'Approve'}: ${photo.title}`"
            @update:model-value="approve(photo)"
          />
        </div>
      </div>
    </article>
  </main>
</template>

<style scoped>
.head { display: flex; align-items: center; gap: 12px; min-height: 40px; background: var(--bar); border-bottom: 1px solid var(--hairline); }
.head h1 { font-size: 13.5px; }
.tag { align-self: stretch; width: 178px; flex: none; }
.proofs {
  padding: 14px 16px; display: grid; grid-template-columns: minmax(0, 1fr); gap: 12px; height: calc(100% - 40px); overflow: auto;
  align-content: start;
}
.photo { display: grid; grid-template-columns: minmax(0, 1fr) 290px; background: var(--paper); border-radius: 3px; }
.photo > :first-child { margin: 8px auto; max-width: calc(100% - 16px); }
.inside { height: min(70vh, 620px); width: calc(100% - 16px); }
.words { padding: 12px; display: grid; gap: 10px; align-content: start; border-left: 1px solid var(--hairline); }
.words h2 { font-size: 15px; }
.words ol { margin: 0; padding-left: 18px; }
.done { color: var(--soft-ink); }
form { display: flex; flex-wrap: wrap; gap: 6px; }
.acts { display: flex; gap: 8px; }
.acts > * { min-height: 34px; flex: 1; }
.approve { border-color: var(--fern); }
.approve :deep(.p-togglebutton-content) { font-weight: 650; color: var(--deep-fern); }
.approve.p-togglebutton-checked { background: var(--fern); }
.approve.p-togglebutton-checked :deep(.p-togglebutton-content) { color: #fff; }
@media (max-width: 820px) {
  .head { padding-right: 10px; }
  .head .soft { display: none; }
  .tag { width: auto; }
  .proofs { padding: 0 0 30px; gap: 14px; }
  .proofs > .soft { padding: 10px 12px 0; }
  .photo { grid-template-columns: minmax(0, 1fr); border-radius: 0; }
  .photo > :first-child { margin: 0; max-width: none; max-height: none; }
  .words { border-left: 0; padding: 10px 12px 12px; }
  /* approving stays where the thumb is, as long as its photo is in sight */
  .acts { position: sticky; bottom: 0; padding: 8px 0; background: var(--paper); }
  .acts > * { min-height: 46px; font-size: 15px; }
}
</style>
