<script setup lang="ts">
import Button from 'primevue/button'
import Checkbox from 'primevue/checkbox'
import FileUpload, { type FileUploadUploaderEvent } from 'primevue/fileupload'
import Message from 'primevue/message'
import ProgressBar from 'primevue/progressbar'
import Skeleton from 'primevue/skeleton'
import { useTimeoutFn } from '@vueuse/core'
import { computed, defineAsyncComponent, onMounted, ref, useTemplateRef } from 'vue'

import { api, taken, type Schemas } from '../api/client'
import { carried } from '../common/carried'
import { tryingWith } from '../common/trying'
import { useIntake } from '../common/useIntake'
import { useAsking } from '../common/useAsking'
import { useSaying } from '../common/useSaying'
import { useSession } from '../common/useSession'
import PageHead from '../parts/PageHead.vue'
import ContactSheet, { type PhotoAct } from './ContactSheet.vue'
import PhotoDialog from './PhotoDialog.vue'
import SeriesOffers from './SeriesOffers.vue'
import TicketPaper from './TicketPaper.vue'

const TicketLife = defineAsyncComponent(() => import('./TicketLife.vue'))
const props = defineProps<{ number: string }>()
const page = ref<Schemas['TicketPage'] | null>(null)
const over = ref(false)
const failed = ref(false)
const busy = ref(false)
const WAYS_IN = [
  { label: 'Bring photos', input: { class: 'files' } },
  { label: 'Bring a folder', input: { class: 'folder', webkitdirectory: true } },
]
const renditions = ref<('web' | 'profile')[]>([])
const asking = useAsking()
const { sayError, say } = useSaying()
const trying = tryingWith(sayError)
const { start: loadSoon, stop: doNotLoad } = useTimeoutFn(load, 800, { immediate: false })

const path = { number: props.number }
const intake = useIntake(`/api/tickets/${encodeURIComponent(props.number)}`, load)
const { person } = useSession()
const lead = computed(() => person.value?.role === 'lead')
const photos = computed(() => page.value?.photos ?? [])
const wanted = computed(() => photos.value.filter((photo) => !photo.material))
/** Whether material is left out of the contact sheet. */
const onlyWanted = ref(false)
const checked = computed(() => wanted.value.filter((photo) => photo.stage === 'checked'))
const worked = computed(() => wanted.value.filter((photo) => photo.steps > 0 && ['bench', 'checked', 'returned'].includes(photo.stage)))
const made = computed(() => photos.value.some((photo) => ['handed_over', 'returned', 'accepted'].includes(photo.stage)))
const open = computed(() => page.value?.ticket.state === 'open')

async function load() {
  doNotLoad()
  try {
    page.value = taken(await api.GET('/api/tickets/{number}', { params: { path } })) as Schemas['TicketPage']
    failed.value = false
  } catch (error) {
    failed.value = true
    return sayError(error)
  }
  const { checking, photos } = page.value
  const moving = photos.some((one) => one.state === 'preparing' || one.stage === 'handed_over')
  if (moving || checking.length || arriving.value > Date.now()) loadSoon()
}
const demo = ref(false)
const arriving = ref(0)
const device = (name: 'card' | 'scanner') =>
  act(async () => {
    const count = taken(await api.POST('/api/tickets/{number}/devices/{device}', { params: { path: { ...path, device: name } } }))
    say(`${count} pictures are coming.`)
    arriving.value = Date.now() + 12_000 * count
  })
onMounted(async () => {
  await load()
  const photos = carried.take(props.number)
  if (photos.length) void intake.bring(photos)
  demo.value = Boolean((await api.GET('/api/welcome')).data?.demo_sign_in)
})

async function act(work: () => Promise<unknown>) {
  busy.value = true
  await trying(work)
  busy.value = false
  await load()
}
const checkAll = () =>
  act(async () => {
    const count = taken(await api.POST('/api/tickets/{number}/check', { params: { path } }))
    say(`${count} photos are being checked against the slip.`)
  })
const handOverAll = () =>
  act(async () => {
    const body = { photos: 'checked' as const, renditions: renditions.value }
    const answer = taken(await api.POST('/api/tickets/{number}/hand-overs', { params: { path }, body }))
    say(`${answer.started} photos are on their way.${answer.left_out.length ? ` Left out: ${answer.left_out.join('; ')}.` : ''}`)
  })
async function dropped(event: DragEvent) {
  over.value = false
  if (event.dataTransfer?.types.includes('Files')) await intake.dropped(event.dataTransfer)
}

// photos as things
const photoDialog = useTemplateRef('photoDialog')
const arrange = (order: string[]) =>
  act(async () => taken(await api.PUT('/api/tickets/{number}/photos/order', { params: { path }, body: { photos: order } })))
function onPhoto(what: PhotoAct, photo: Schemas['Photo']) {
  if (what === 'bin') return putAway(photo)
  if (what === 'material') return setMaterial(photo)
  photoDialog.value?.open(what, photo)
}
/** Whether it is there for others to be made with: a frame of a series, a sky, a shot of the floor. */
const setMaterial = (photo: Schemas['Photo']) =>
  act(async () => {
    const body = { material: !photo.material }
    taken(await api.PATCH('/api/photos/{photo}', { params: { path: { photo: photo.id } }, body }))
  })
function putAway(photo: Schemas['Photo']) {
  asking(
    `${photo.title} into the bin?`,
    'Its ledger goes with it; those who lead can bring it back.',
    'Into the bin',
    () => act(async () => taken(await api.DELETE('/api/photos/{photo}', { params: { path: { photo: photo.id } } }))),
  )
}
const again = (photo: Schemas['Photo']) =>
  act(async () => taken(await api.POST('/api/photos/{photo}/preparation', { params: { path: { photo: photo.id } } })))
function takeOff(photo: Schemas['Photo']) {
  asking(
    `Take ${photo.title} off?`,
    'The file was refused; nothing else goes with it.',
    'Take it off',
    () => act(async () => taken(await api.DELETE('/api/photos/{photo}', { params: { path: { photo: photo.id } } }))),
  )
}

function chosen({ files }: FileUploadUploaderEvent) {
  void intake.bring([files].flat())
}
</script>

<template>
  <PageHead :number="number" to="/" :title="page?.ticket.title ?? ''" :under="page?.ticket.client">
    <TicketLife v-if="page && lead" :page="page" :act="act" />
  </PageHead>
  <main v-if="page" class="ticket">
    <TicketPaper :page="page" :lead="lead" :act="act" />
    <section class="sheet" :class="{ over }" @dragover.prevent="over = true" @dragleave="over = false" @drop.prevent="dropped">
      <div class="tools">
        <span>
          {{ wanted.length }} photos<template v-if="wanted.length < photos.length">, {{ photos.length - wanted.length }} material
            <Button
              link :label="onlyWanted ? 'show' : 'hide'" :aria-label="`${onlyWanted ? 'Show' : 'Hide'} what is material`"
              @click="onlyWanted = !onlyWanted"
            />
          </template>
        </span>
        <FileUpload
          v-for="way in WAYS_IN" :key="way.label" mode="basic" custom-upload auto multiple :choose-label="way.label"
          :choose-button-props="{ severity: 'secondary' }" :pt="{ input: { 'aria-hidden': true, tabindex: -1, ...way.input } }" @uploader="chosen"
        >
          <template #chooseicon><span hidden></span></template>
        </FileUpload>
        <template v-if="demo">
          <Button
            v-tooltip.bottom="'A simulated card reader fills this ticket\'s folder'" severity="secondary" label="Card reader" @click="device('card')"
          />
          <Button v-tooltip.bottom="'A simulated scanner does'" severity="secondary" label="Scanner" @click="device('scanner')" />
        </template>
        <span class="grow"></span>
        <span v-if="page.checking.length" class="soft" role="status">checking {{ page.checking.length }}…</span>
        <Button
          v-tooltip.bottom="'Every photo that was worked on, as it would be delivered'" severity="secondary" label="Check all"
          :disabled="busy || !worked.length" @click="checkAll"
        />
        <label class="choice small"><Checkbox v-model="renditions" value="web" /> web 900</label>
        <label class="choice small"><Checkbox v-model="renditions" value="profile" /> profile 180</label>
        <Button :label="`Hand over ${checked.length} checked`" :disabled="busy || !checked.length || !open" @click="handOverAll" />
      </div>
      <div v-if="made" class="tools">
        <span class="soft">What was made:</span>
        <Button as="a" severity="secondary" label="everything as ZIP" :href="`/api/tickets/${number}/delivery.zip`" />
        <Button as="a" severity="secondary" label="check report" :href="`/api/tickets/${number}/report.html`" target="_blank" />
        <Button as="a" severity="secondary" label="as PDF" :href="`/api/tickets/${number}/report.pdf`" />
      </div>
      <div v-if="intake.files.value.length" class="intake" role="status">
        <p v-for="file in intake.files.value" :key="file.key" class="file" :class="file.state" :role="file.state === 'refused' ? 'alert' : undefined">
          <span class="name">{{ file.name }}</span>
          <ProgressBar v-if="file.state === 'coming'" class="sent" :value="(100 * file.sent) / file.size" :aria-label="`${file.name} is coming`" />
          <span v-else>{{ file.says }}</span>
          <Button v-if="file.state === 'stopped'" severity="secondary" label="Go on" @click="intake.again(file)" />
        </p>
        <Button v-if="intake.done.value" severity="secondary" label="Noted" @click="intake.clear()" />
      </div>
      <SeriesOffers :photos="page.photos" :series="page.series" :busy="busy" :act="act" />
      <p v-if="page.photos.length === 0" class="empty">No photos yet. Drop them here, or bring a folder.</p>
      <ContactSheet
        :photos="page.photos" :checks="page.checks" :lead="lead" :only-wanted="onlyWanted" @act="onPhoto" @arrange="arrange" @take-off="takeOff"
        @again="again"
      />
      <PhotoDialog ref="photoDialog" :number="number" :act="act" />
    </section>
  </main>
  <main v-else-if="failed" class="loading">
    <Message severity="error">This ticket could not be loaded. <Button severity="secondary" label="Try again" @click="load" /></Message>
  </main>
  <main v-else class="ticket" role="status" aria-label="Loading the ticket"><Skeleton height="100%" border-radius="0" /><Skeleton height="60%" /></main>
</template>

<style scoped>
.ticket { display: grid; grid-template-columns: 262px minmax(0, 1fr); height: calc(100% - 40px); }
.sheet { padding: 12px 16px; overflow: auto; }
.sheet.over { outline: 3px dashed var(--fern); outline-offset: -8px; }
.tools { display: flex; flex-wrap: wrap; align-items: center; gap: 8px 10px; margin-bottom: 12px; }
.sent { width: 200px; }
.intake { margin-bottom: 12px; padding: 8px 10px; background: var(--paper); border-radius: 3px; display: grid; gap: 4px; justify-items: start; }
.file { display: flex; gap: 12px; align-items: center; width: 100%; }
.file .name { width: 240px; overflow: hidden; text-overflow: ellipsis; white-space: nowrap; font-weight: 600; }
.file.refused, .file.stopped { color: var(--short); }
.empty, .loading { padding: 40px; }
@media (max-width: 820px) {
  .ticket { display: block; height: auto; }
  .sheet { padding: 12px 10px; }
}
</style>
