<script setup lang="ts">
import Button from 'primevue/button'
import Checkbox from 'primevue/checkbox'
import FileUpload, { type FileUploadUploaderEvent } from 'primevue/fileupload'
import InputText from 'primevue/inputtext'
import Message from 'primevue/message'
import ProgressBar from 'primevue/progressbar'
import Select from 'primevue/select'
import Skeleton from 'primevue/skeleton'
import { useConfirm } from 'primevue/useconfirm'
import { useTimeoutFn } from '@vueuse/core'
import { computed, onMounted, ref } from 'vue'

import { api, taken, type Schemas } from '../api/client'
import { dueText, isPressing, moment } from '../common/due'
import { newId } from '../common/ids'
import { STAGES } from '../common/stages'
import { tryingWith } from '../common/trying'
import { useSaying } from '../common/useSaying'
import { useSession } from '../common/useSession'
import PageHead from '../parts/PageHead.vue'
import { useIntake } from './useIntake'

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
const link = ref('')
const confirm = useConfirm()
const { sayError, say } = useSaying()
const trying = tryingWith(sayError)
const { start: loadSoon, stop: doNotLoad } = useTimeoutFn(load, 800, { immediate: false })

const path = { number: props.number }
const intake = useIntake(props.number, load)
const photos = computed(() => page.value?.photos ?? [])
const checked = computed(() => photos.value.filter((photo) => photo.stage === 'checked'))
const worked = computed(() => photos.value.filter((photo) => photo.steps > 0 && ['bench', 'checked', 'returned'].includes(photo.stage)))
const made = computed(() => photos.value.some((photo) => ['handed_over', 'returned', 'accepted'].includes(photo.stage)))
const checkOf = computed(() => new Map((page.value?.checks ?? []).map((check) => [check.photo, check])))

async function load() {
  doNotLoad()
  try {
    page.value = taken(await api.GET('/api/tickets/{number}', { params: { path } }))
    failed.value = false
  } catch (error) {
    failed.value = true
    return sayError(error)
  }
  const { checking, photos } = page.value
  const moving = photos.some((one) => one.state === 'preparing' || one.stage === 'handed_over')
  if (moving || checking.length || arriving.value > Date.now()) loadSoon()
}
const { person } = useSession()
const demo = ref(false)
const arriving = ref(0)
const device = (name: 'card' | 'scanner') =>
  act(async () => {
    const count = taken(await api.POST('/api/tickets/{number}/devices/{device}', { params: { path: { ...path, device: name } } }))
    say(`${count} pictures are coming.`)
    arriving.value = Date.now() + 12_000 * count
  })
const library = ref<Schemas['SlipView'][]>([])
const now = computed(() => {
  const { slip_name: name, ticket } = page.value ?? {}
  return library.value.find((kept) => kept.slip.name === name && kept.version === ticket?.slip_version)?.id ?? null
})
/** What the ticket goes by where the library has a newer version. */
const agreed = computed(() => (now.value ? undefined : `${page.value?.slip_name}, version ${page.value?.ticket.slip_version}`))
const slips = computed(() => library.value.map(({ id, slip, version }) => ({ id, label: `${slip.name}, version ${version}` })))
const putSlip = (slip: string) => act(async () => taken(await api.PUT('/api/tickets/{number}/slip', { params: { path }, body: { slip } })))
onMounted(async () => {
  await load()
  demo.value = Boolean((await api.GET('/api/welcome')).data?.demo_sign_in)
  library.value = (await api.GET('/api/slips')).data ?? []
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
    say(`${answer.started} photos are on their way to the desk.${answer.left_out.length ? ` Left out: ${answer.left_out.join('; ')}.` : ''}`)
  })
/** Series whose middle frame has no steps yet: merged into that one. */
const proposals = computed(() =>
  (page.value?.series ?? []).flatMap((ids) => {
    const frames = ids.flatMap((id) => photos.value.find((photo) => photo.id === id) ?? [])
    const base = frames[Math.floor(frames.length / 2)]
    return base && base.steps === 0 ? [{ base, frames, titles: frames.map((frame) => frame.title).join(', ') }] : []
  }),
)
const merge = (found: { base: Schemas['Photo']; frames: Schemas['Photo'][] }) =>
  act(async () => {
    const others = found.frames.filter((frame) => frame.id !== found.base.id)
    const step = { id: newId(), op: 'merge', params: { frames: others.map(({ blob, title }) => ({ picture: blob, title })) }, enabled: true, strength: 1 }
    const changes = [{ kind: 'put' as const, step }]
    const body = { expected: found.base.head ?? 0, summary: 'Merge series', changes }
    taken(await api.POST('/api/photos/{photo}/changes', { params: { path: { photo: found.base.id } }, body }))
    say(`Merged into “${found.base.title}”. Specks grow in a merge: clean after it.`)
  })
const makeLink = () =>
  act(async () => {
    const answer = taken(await api.POST('/api/tickets/{number}/links', { params: { path } }))
    link.value = location.origin + answer.path
    await navigator.clipboard?.writeText(link.value).catch(() => undefined)
  })

async function dropped(event: DragEvent) {
  over.value = false
  if (event.dataTransfer) await intake.dropped(event.dataTransfer)
}

function takeOff(photo: Schemas['Photo']) {
  confirm.require({
    header: `Take ${photo.title} off?`,
    message: 'The file was refused; nothing else goes with it.',
    acceptLabel: 'Take it off',
    rejectLabel: 'Leave it',
    rejectProps: { severity: 'secondary' },
    accept: async () => {
      await api.DELETE('/api/photos/{photo}', { params: { path: { photo: photo.id } } })
      await load()
    },
  })
}

function chosen({ files }: FileUploadUploaderEvent) {
  void intake.bring([files].flat())
}
</script>

<template>
  <PageHead :number="number" to="/" :title="page?.ticket.title ?? ''" :under="page?.ticket.client" />
  <main v-if="page" class="ticket">
    <aside class="paper">
      <h2 class="heading">Brief</h2>
      <p class="brief">{{ page.ticket.brief }}</p>
      <p class="row"><span>due</span><span class="number" :class="{ pressing: isPressing(page.ticket.due_at) }">{{ dueText(page.ticket.due_at) }}</span></p>
      <div class="tear"></div>
      <h2 class="heading">Slip · {{ page.slip_name }} <span class="soft version">version {{ page.ticket.slip_version }}</span></h2>
      <p v-for="(line, index) in page.asks" :key="index" class="row">
        <span>{{ line.what === line.asks ? 'by eye' : line.what }}</span><span class="number">{{ line.asks }}</span>
      </p>
      <label v-if="person?.role === 'lead'" class="row goes"><span>goes by</span>
        <Select
          :model-value="now" :options="slips" option-label="label" option-value="id" :placeholder="agreed"
          aria-label="The slip it goes by" @update:model-value="putSlip"
        />
      </label>
      <div class="tear"></div>
      <h2 class="heading">Client</h2>
      <p v-if="link">
        <InputText class="link-field" :model-value="link" readonly aria-label="Link for the client" @focus="($event.target as HTMLInputElement).select()" />
        <span class="small soft">Copied. Whoever has it sees this ticket's proofs for 30 days.</span>
      </p>
      <Button v-else severity="secondary" label="Make a proof link" :disabled="busy" @click="makeLink" />
      <div class="tear"></div>
      <h2 class="heading">What happened</h2>
      <ol class="events">
        <li v-for="event in page.events" :key="event.id">
          <span class="number">{{ moment(event.made_at) }}</span>
          <span><b v-if="event.photo_title">{{ event.photo_title }}: </b>{{ event.what }} <span class="soft">({{ event.who }})</span></span>
        </li>
      </ol>
    </aside>
    <section class="sheet" :class="{ over }" @dragover.prevent="over = true" @dragleave="over = false" @drop.prevent="dropped">
      <div class="tools">
        <span>{{ page.photos.length }} photos</span>
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
        <Button :label="`Hand over ${checked.length} checked`" :disabled="busy || !checked.length" @click="handOverAll" />
      </div>
      <div v-if="made" class="tools parcel">
        <span class="soft">What was made for the desk:</span>
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
      <div v-for="found in proposals" :key="found.base.id" class="tools parcel">
        <span><b>{{ found.titles }}</b> <span class="soft">look like a bracketed series, by their time and exposure.</span></span>
        <Button severity="secondary" :label="`Merge into “${found.base.title}”`" :disabled="busy" @click="merge(found)" />
      </div>
      <p v-if="page.photos.length === 0" class="empty">No photos yet. Drop them here.</p>
      <div class="contact">
        <component
          :is="photo.state === 'ready' ? 'RouterLink' : 'div'"
          v-for="photo in page.photos"
          :key="photo.id"
          :to="photo.state === 'ready' ? `/photos/${photo.id}` : undefined"
          class="photo"
          :class="photo.state"
        >
          <div class="frame">
            <img v-if="photo.state === 'ready'" :src="`/api/photos/${photo.id}/thumbnail`" :alt="photo.title" loading="lazy" />
            <Skeleton v-else-if="photo.state === 'preparing'" height="100%" aria-label="being prepared" role="status" />
            <span v-else class="problem">{{ photo.problem }}</span>
          </div>
          <div class="caption">
            <span class="number">{{ photo.position }}</span>
            <strong>{{ photo.title }}</strong>
            <span v-if="photo.width" class="number soft size">{{ photo.width }} × {{ photo.height }}</span>
            <Button v-if="photo.state === 'refused'" severity="secondary" label="Take off" @click.prevent="takeOff(photo)" />
          </div>
          <p v-if="photo.note" class="note">“{{ photo.note }}”</p>
          <p v-for="remark in photo.remarks" :key="remark" class="small soft">{{ remark }}</p>
          <p v-if="photo.state === 'ready'" class="standing" :class="photo.stage">
            {{ STAGES[photo.stage] }}<span v-if="photo.steps && photo.stage === 'bench'">, {{ photo.steps }} {{ photo.steps === 1 ? 'step' : 'steps' }}</span>
            <span v-if="photo.open_notes" class="soft"> · {{ photo.open_notes }} open {{ photo.open_notes === 1 ? 'note' : 'notes' }}</span>
            <span v-if="photo.holder" class="soft"> · {{ photo.holder }} has it open</span>
          </p>
          <ul v-if="photo.stage === 'returned' && photo.reasons?.length" class="short"><li v-for="reason in photo.reasons" :key="reason">{{ reason }}</li></ul>
          <ul v-else-if="photo.stage === 'bench' && checkOf.get(photo.id)" class="short">
            <li v-for="line in checkOf.get(photo.id)?.short" :key="line">{{ line }}</li>
          </ul>
        </component>
      </div>
    </section>
  </main>
  <main v-else-if="failed" class="loading">
    <Message severity="error">This ticket could not be loaded. <Button severity="secondary" label="Try again" @click="load" /></Message>
  </main>
  <main v-else class="ticket" role="status" aria-label="Loading the ticket"><Skeleton height="100%" border-radius="0" /><Skeleton height="60%" /></main>
</template>

<style scoped>
.ticket { display: grid; grid-template-columns: 262px minmax(0, 1fr); height: calc(100% - 40px); }
.paper { background: var(--paper); padding: 14px 12px; border-right: 1px solid var(--hairline); overflow: auto; }
.brief { margin: 8px 0 12px; }
.row { display: flex; justify-content: space-between; gap: 8px; padding: 3px 0; }
.row .number { text-align: right; }
.row span:first-child { white-space: nowrap; }
.paper .heading { margin-bottom: 4px; }
.version { text-transform: none; letter-spacing: 0; font-weight: 400; }
.tear { height: 6px; margin: 14px -12px; background: radial-gradient(circle 3px, var(--bench) 98%, transparent) 0 0 / 12px 6px; }
.paper :deep(.p-button) { margin-top: 6px; }
.link-field { width: 100%; margin-top: 6px; font: 12px var(--mono); }
.events { margin: 6px 0 0; padding: 0; list-style: none; display: grid; gap: 5px; }
.events li { display: grid; grid-template-columns: 76px 1fr; gap: 8px; font-size: 12.5px; overflow-wrap: anywhere; }
.sheet { padding: 12px 16px; overflow: auto; }
.sheet.over { outline: 3px dashed var(--fern); outline-offset: -8px; }
.tools { display: flex; flex-wrap: wrap; align-items: center; gap: 8px 12px; margin-bottom: 12px; }
.sent { width: 200px; }
.intake { margin-bottom: 12px; padding: 8px 10px; background: var(--paper); border-radius: 3px; display: grid; gap: 4px; justify-items: start; }
.file { display: flex; gap: 12px; align-items: center; width: 100%; }
.file .name { width: 240px; overflow: hidden; text-overflow: ellipsis; white-space: nowrap; font-weight: 600; }
.file.refused, .file.stopped { color: var(--short); }
.contact { display: grid; grid-template-columns: repeat(auto-fill, minmax(300px, 1fr)); gap: 12px; }
.photo { display: block; background: var(--paper); border-radius: 3px; box-shadow: 0 1px 0 var(--rule); padding: 8px; text-decoration: none; }
a.photo:hover { background: var(--sheet); outline: 2px solid var(--fern); outline-offset: -2px; }
.frame { height: 208px; display: grid; place-items: center; background: var(--deck); }
.frame img { max-width: 100%; max-height: 208px; display: block; }
.frame .problem { padding: 16px; color: var(--short); }
.caption { display: flex; gap: 8px; align-items: baseline; margin-top: 8px; }
.size { margin-left: auto; font-weight: 400; }
.note { margin-top: 4px; color: var(--soft-ink); }
.standing { margin-top: 6px; font-weight: 600; }
.standing .soft { font-weight: 400; }
.standing.accepted, .standing.checked { color: var(--deep-fern); }
.standing.returned { color: var(--short); }
.short { margin: 3px 0 0; padding-left: 16px; color: var(--short); }
.empty, .loading { padding: 40px; }
@media (max-width: 820px) {
  .ticket { display: block; height: auto; }
  .paper { border-right: 0; }
  .sheet { padding: 12px 10px; }
  .contact { grid-template-columns: minmax(0, 1fr); }
  .frame, .frame img { height: auto; max-height: none; }
}
.pressing { color: var(--short); }
</style>
