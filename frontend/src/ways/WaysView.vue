<script setup lang="ts">
import Button from 'primevue/button'
import InputNumber from 'primevue/inputnumber'
import InputText from 'primevue/inputtext'
import Message from 'primevue/message'
import Select from 'primevue/select'
import { computed, onMounted, ref } from 'vue'

import { api, taken, type Schemas } from '../api/client'
import { tryingWith } from '../common/trying'
import { useAsking } from '../common/useAsking'
import { useSaying } from '../common/useSaying'
import { useSession } from '../common/useSession'
import KeptList from '../parts/KeptList.vue'
import PageHead from '../parts/PageHead.vue'
import WatchesPanel from './WatchesPanel.vue'

type Way = Schemas['WayRow']
type NewWay = Schemas['NewWay']
type Settings = NewWay['settings']
type Kind = Settings['kind']

const KINDS: { kind: Kind; label: string; says: string }[] = [
  {
    kind: 'folder', label: 'folder or store',
    says: 'A folder of this machine, a mounted share, S3 or SFTP. Files are written whole, beside a manifest, and never over another.',
  },
  { kind: 'link', label: 'download link', says: 'A page for the receiver, signed, with an end, that counts what was taken.' },
  { kind: 'inbox', label: 'inbox over HTTP', says: 'A receiver that speaks our protocol (docs/inbox.md), and may answer by itself.' },
  {
    kind: 'desk', label: 'simulated desk',
    says: 'A stand-in for a receiver, to practise with: it opens the file, measures it in its own way, and answers.',
  },
]
const ANSWERS = { itself: 'the receiver itself', arrival: 'its arrival', person: 'a person here' } as const
/** Who may answer, for each kind; the usual one first. */
const MAY: Record<Kind, (keyof typeof ANSWERS)[]> = {
  desk: ['itself'], inbox: ['itself', 'arrival', 'person'], folder: ['arrival', 'person'], link: ['person', 'arrival'],
}
const BEGUN = {
  folder: { kind: 'folder' as const, address: '', user: '', endpoint: '' },
  link: { kind: 'link' as const, days: 30 },
  inbox: { kind: 'inbox' as const, address: '' },
  desk: { kind: 'desk' as const, desk: '' },
}

const { person } = useSession()
const lead = computed(() => person.value?.role === 'lead')
const { say, sayError } = useSaying()
const trying = tryingWith(sayError)
const asking = useAsking()
const ways = ref<Way[] | null>(null)
const desks = ref<Schemas['DeskChoice'][]>([])
const chosen = ref<Way | null>(null)
const form = ref<NewWay | null>(null)
const secret = ref('')
const trial = ref<Schemas['Trial'] | null>(null)
const busy = ref(false)

onMounted(() =>
  trying(async () => {
    ways.value = taken(await api.GET('/api/ways'))
    desks.value = taken(await api.GET('/api/desks-here'))
    if (ways.value[0]) open(ways.value[0])
  }),
)
const kind = computed(() => form.value?.settings.kind)
/** The settings of the way that stands on the sheet, by its kind. */
const toFolder = computed(() => (form.value?.settings.kind === 'folder' ? form.value.settings : BEGUN.folder))
const toInbox = computed(() => (form.value?.settings.kind === 'inbox' ? form.value.settings : BEGUN.inbox))
const toLink = computed(() => (form.value?.settings.kind === 'link' ? form.value.settings : BEGUN.link))
const toDesk = computed(() => (form.value?.settings.kind === 'desk' ? form.value.settings : BEGUN.desk))
const answers = computed(() => (form.value ? MAY[form.value.settings.kind].map((value) => ({ value, label: ANSWERS[value] })) : []))
const accepting = computed({
  get: () => form.value?.answers ?? 'person',
  set: (to) => {
    if (form.value) form.value.answers = to
  },
})
const kindOf = (kind: Kind) => KINDS.find((one) => one.kind === kind)
const kept = computed(() =>
  (ways.value ?? []).map(({ id, name, settings, tickets }) => ({
    id, title: name, under: `${kindOf(settings.kind)?.label}, ${tickets} open ${tickets === 1 ? 'ticket' : 'tickets'}`,
  })),
)
function take(id: string) {
  const way = ways.value?.find((one) => one.id === id)
  if (way) open(way)
}
function open(way: Way) {
  chosen.value = way
  trial.value = null
  secret.value = ''
  form.value = { name: way.name, settings: structuredClone({ ...way.settings }), answers: way.answers, secret: null }
}
function begin(kind: Kind) {
  chosen.value = null
  trial.value = null
  secret.value = ''
  form.value = { name: '', settings: structuredClone(BEGUN[kind]), answers: MAY[kind][0] ?? 'person', secret: null }
}
/** A secret that was left empty stays as it is kept. */
const body = (written: NewWay): NewWay => ({ ...written, secret: secret.value || null })

const tryIt = () =>
  trying(async () => {
    if (!form.value) return
    const asked = body(form.value)
    busy.value = true
    trial.value = null
    try {
      trial.value = chosen.value
        ? taken(await api.POST('/api/ways/{way}/trial', { params: { path: { way: chosen.value.id } }, body: asked }))
        : taken(await api.POST('/api/ways/trial', { body: asked }))
    } finally {
      busy.value = false
    }
  })
const keep = () =>
  trying(async () => {
    if (!form.value) return
    const asked = body(form.value)
    const name = asked.name.trim()
    ways.value = chosen.value
      ? taken(await api.PUT('/api/ways/{way}', { params: { path: { way: chosen.value.id } }, body: asked }))
      : taken(await api.POST('/api/ways', { body: asked }))
    const kept = ways.value.find((one) => one.name === name)
    const found = trial.value
    if (kept) open(kept)
    trial.value = found
    say(`${name} is kept.`)
  })
function remove(way: Way) {
  asking(
    `Remove ${way.name}?`,
    way.tickets ? `${way.tickets} open tickets go out this way; they will need another one.` : 'No open ticket goes out this way.',
    'Remove',
    () =>
      trying(async () => {
        ways.value = taken(await api.DELETE('/api/ways/{way}', { params: { path: { way: way.id } } }))
        form.value = chosen.value = null
      }),
  )
}
</script>

<template>
  <PageHead number="FERN TICKET" to="/" title="Ways out and in" under="where finished photos go, and where new ones lie" />
  <main class="ways">
    <aside class="paper" aria-label="Ways out">
      <h2 class="heading first">Ways out</h2>
      <p v-if="ways && ways.length === 0" class="soft none">None yet.</p>
      <KeptList :items="kept" :open="chosen?.id" @take="take" />
      <template v-if="lead">
        <h2 class="heading">Add</h2>
        <Button
          v-for="one in KINDS" :key="one.kind" v-tooltip.right="one.says" class="new" severity="secondary" :label="one.label" @click="begin(one.kind)"
        />
      </template>
    </aside>
    <form v-if="form" class="sheet" aria-label="The way out" @submit.prevent="keep">
      <p class="soft">{{ kindOf(form.settings.kind)?.says }}</p>
      <label>name <InputText v-model="form.name" required :maxlength="80" :disabled="!lead" /></label>
      <template v-if="kind === 'folder'">
        <label>address
          <InputText
            v-model="toFolder.address" required :maxlength="400" placeholder="/mnt/share/orders, s3://bucket/orders, sftp://host/orders"
            :disabled="!lead"
          />
        </label>
        <div v-if="toFolder.address.includes('://')" class="pair">
          <label>sign-in name or key <InputText v-model="toFolder.user" :maxlength="200" autocomplete="off" :disabled="!lead" /></label>
          <label>password or secret key
            <InputText
              v-model="secret" type="password" :placeholder="chosen?.has_secret ? 'kept; type to change it' : ''" autocomplete="off" :disabled="!lead"
            />
          </label>
          <label v-if="toFolder.address.startsWith('s3')" class="wide">address of the service, for other than the usual one
            <InputText v-model="toFolder.endpoint" :maxlength="400" :disabled="!lead" />
          </label>
        </div>
      </template>
      <template v-if="kind === 'inbox'">
        <label>address
          <InputText v-model="toInbox.address" required type="url" :maxlength="400" placeholder="https://receiver.example/inbox" :disabled="!lead" />
        </label>
        <label>token
          <InputText
            v-model="secret" type="password" :placeholder="chosen?.has_secret ? 'kept; type to change it' : ''" autocomplete="off" :disabled="!lead"
          />
        </label>
      </template>
      <label v-if="kind === 'link'">days until it ends <InputNumber v-model="toLink.days" :min="1" :max="365" :disabled="!lead" /></label>
      <label v-if="kind === 'desk'">desk
        <Select v-model="toDesk.desk" :options="desks" option-label="name" option-value="desk" placeholder="choose one" aria-label="Desk" :disabled="!lead" />
      </label>
      <label>a delivery is accepted by
        <Select v-model="accepting" :options="answers" option-label="label" option-value="value" aria-label="Accepted by" :disabled="!lead" />
      </label>
      <Message v-if="trial" :severity="trial.works ? 'secondary' : 'error'">{{ trial.works ? 'It works. ' : 'It does not work. ' }}{{ trial.said }}</Message>
      <div v-if="lead" class="acts">
        <Button severity="secondary" label="Try it" :loading="busy" @click="tryIt" />
        <Button type="submit" label="Keep" />
        <Button v-if="chosen" link label="remove" @click="remove(chosen)" />
      </div>
    </form>
    <section v-else class="sheet">
      <p>A ticket says where its photos go when they are handed over. Add a folder, a store, an inbox or a link at the left, and try it before it is used.</p>
    </section>
    <WatchesPanel v-if="lead" />
  </main>
</template>

<style scoped>
.ways { display: grid; grid-template-columns: 262px minmax(0, 1fr) 340px; height: calc(100% - 40px); }
.paper { background: var(--paper); padding: 14px 12px; overflow: auto; border-right: 1px solid var(--hairline); }
.heading { margin: 14px 0 6px; }
.heading.first { margin: 0 0 6px; }
.new { display: block; width: 100%; margin-bottom: 4px; text-align: left; }
.sheet { max-width: 680px; padding: 14px 16px; overflow: auto; display: grid; gap: 10px; align-content: start; }
.pair { display: grid; grid-template-columns: 1fr 1fr; gap: 10px 14px; }
.wide { grid-column: 1 / 3; }
label { display: grid; gap: 3px; font-weight: 600; }
label > * { font-weight: 400; }
.acts { display: flex; gap: 12px; align-items: center; }
</style>
