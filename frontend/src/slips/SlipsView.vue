<script setup lang="ts">
import Button from 'primevue/button'
import Checkbox from 'primevue/checkbox'
import InputNumber from 'primevue/inputnumber'
import InputText from 'primevue/inputtext'
import Message from 'primevue/message'
import Select from 'primevue/select'
import { computed, nextTick, onMounted, ref, toRaw, watch } from 'vue'

import { api, Problem, said, taken, type Schemas } from '../api/client'
import { moment } from '../common/due'
import FileButton from '../parts/FileButton.vue'
import { tryingWith } from '../common/trying'
import { useAsking } from '../common/useAsking'
import { useSaying } from '../common/useSaying'
import { useSession } from '../common/useSession'
import KeptList from '../parts/KeptList.vue'
import PageHead from '../parts/PageHead.vue'

type Slip = Schemas['Slip']
type Row = Record<string, unknown> & { requirement: string }
type Kind = Schemas['LineKind']

const { person } = useSession()
const askFirst = useAsking()
const { sayError, say } = useSaying()
const trying = tryingWith(sayError)
const library = ref<Schemas['SlipView'][]>([])
const kinds = ref<Kind[]>([])
const open = ref<{ name: string; name_pattern: string; lines: Row[] } | null>(null)
const example = ref<Schemas['Example'] | null>(null)
const wrong = ref('')
const adding = ref<string | null>(null)
/** Whether the kinds of lines are here: before that a new one would lack its numbers. */
const known = computed(() => kinds.value.length > 0)
const lead = computed(() => person.value?.role === 'lead')

const kindOf = (requirement: string) => kinds.value.find((kind) => kind.requirement === requirement)
const wordsOf = (requirement: string) => kindOf(requirement)?.words ?? requirement

onMounted(() =>
  trying(async () => {
    library.value = taken(await api.GET('/api/slips'))
    kinds.value = taken(await api.GET('/api/slips/lines'))
    const first = library.value[0]
    if (first && !open.value) take(first)
  }),
)

function take(kept: Schemas['SlipView']) {
  open.value = JSON.parse(JSON.stringify(kept.slip)) as typeof open.value
}
const listed = computed(() =>
  library.value.map(({ id, slip, version }) => ({ id, title: slip.name, under: `version ${version}, ${slip.lines.length} lines` })),
)
function takeById(id: string) {
  const kept = library.value.find((one) => one.id === id)
  if (kept) take(kept)
}
function begin() {
  const begun = ['ratio', 'format'].map((requirement) => ({ requirement, ...kindOf(requirement)?.begins }))
  open.value = { name: 'New slip', name_pattern: '{ticket}_{number:02}', lines: begun }
}
/** Kinds that the slip lacks, and those of which it may have several. */
const lacking = computed(() =>
  kinds.value.filter((kind) => kind.several || !open.value?.lines.some((line) => line.requirement === kind.requirement)),
)
async function add() {
  if (!open.value || !adding.value) return
  open.value.lines.push({ requirement: adding.value, ...structuredClone(toRaw(kindOf(adding.value)?.begins)) })
  // the list shows what was chosen until it was told so
  await nextTick()
  adding.value = null
}
let asking = 0
watch(open, async (slip) => {
  if (!slip) return
  const own = ++asking
  try {
    const found = taken(await api.POST('/api/slips/example', { body: slip as unknown as Slip }))
    if (own !== asking) return
    example.value = found
    wrong.value = ''
  } catch (error) {
    if (own === asking) wrong.value = said(error)
  }
}, { deep: true })

/** The versions of the slip that stands open, as far as the library has it. */
const versions = ref<Schemas['Version'][]>([])
const openOne = computed(() => library.value.find((kept) => kept.slip.name === open.value?.name))
watch(openOne, async (kept) => {
  versions.value = kept ? ((await api.GET('/api/slips/{slip}/versions', { params: { path: { slip: kept.id } } })).data ?? []) : []
})
const takeLibrary = () =>
  trying(async () => {
    const before = library.value.length
    library.value = taken(await api.POST('/api/slips/library'))
    say(library.value.length > before ? `${library.value.length - before} slips are kept. Change them as you like.` : 'All of them are here already.')
    const first = library.value[0]
    if (first && !open.value) take(first)
  })
function download() {
  const href = `data:application/json,${encodeURIComponent(JSON.stringify(open.value, null, 1))}`
  Object.assign(document.createElement('a'), { href, download: `${open.value?.name ?? 'slip'}.json` }).click()
}
const bring = ([file]: File[]) =>
  trying(async () => {
    if (!file) return
    let told: unknown
    try {
      told = JSON.parse(await file.text())
    } catch {
      throw new Problem(422, `${file.name} is not JSON.`, 'Bring a slip that was taken from here, or written by docs/slips.md.')
    }
    // the server says what is wrong with it
    taken(await api.POST('/api/slips/example', { body: told as Slip }))
    open.value = told as typeof open.value
    say('Look at it, then keep it.')
  })
function remove() {
  const gone = openOne.value
  if (!gone) return
  askFirst(
    `Remove ${gone.slip.name}?`,
    'Its versions go with it. Tickets keep the copy that they go by.',
    'Remove',
    () =>
      trying(async () => {
        taken(await api.DELETE('/api/slips/{slip}', { params: { path: { slip: gone.id } } }))
        library.value = taken(await api.GET('/api/slips'))
        open.value = null
      }),
  )
}
const read = (one: Schemas['Difference']) => (one.kind === 'changed' ? `${one.before} becomes ${one.after}` : `${one.kind}: ${one.before || one.after}`)

const keep = () =>
  trying(async () => {
    if (!open.value) return
    const kept = taken(await api.PUT('/api/slips', { body: open.value as unknown as Slip }))
    say(`${kept.slip.name} is kept as version ${kept.version}. Tickets keep the version that they were agreed on.`)
    library.value = taken(await api.GET('/api/slips'))
  })
</script>

<template>
  <PageHead number="FERN TICKET" to="/" title="Slips" under="delivery measures, by receiver" />
  <main class="slips">
    <aside class="paper" aria-label="Library">
      <h2 class="heading">Library</h2>
      <KeptList :items="listed" :open="openOne?.id" @take="takeById" />
      <Button class="new" severity="secondary" label="New slip" :disabled="!known" @click="begin" />
      <FileButton v-if="lead" label="Bring one" accept=".json" button-class="new" input-class="slip-file" @chosen="bring" />
      <Button
        v-if="lead" v-tooltip.right="'Web page, square social picture, print, shop page, listing, stock, artwork, panorama'" class="new" severity="secondary"
        label="Take the library of eight" @click="takeLibrary"
      />
    </aside>
    <section v-if="open" class="sheet">
      <div class="top">
        <label>name <InputText v-model="open.name" :maxlength="80" /></label>
        <label>files are called
          <InputText v-model="open.name_pattern" v-tooltip.bottom="'{ticket}, {number:02}, {client}, {photo}'" class="wide" :maxlength="120" />
        </label>
        <Button label="Keep" :disabled="Boolean(wrong) || !lead" @click="keep" />
        <Button severity="secondary" label="As JSON" @click="download" />
        <Button v-if="lead && openOne" link label="remove" @click="remove" />
        <span v-if="!lead" class="soft small">Kept by those who lead.</span>
      </div>
      <div v-for="(row, index) in open.lines" :key="index" class="line">
        <strong>{{ wordsOf(row.requirement) }}</strong>
        <span class="fields">
          <component
            :is="field.kind === 'words' ? 'div' : 'label'" v-for="field in kindOf(row.requirement)?.fields" :key="field.name"
            v-tooltip.bottom="field.hint" class="field"
          >
            <span class="soft">{{ field.name.replace(/_/g, ' ') }}</span>
            <Checkbox v-if="field.kind === 'yes'" v-model="row[field.name] as boolean" binary />
            <Select v-else-if="field.kind === 'choice'" v-model="row[field.name]" :options="field.options" />
            <span v-else-if="field.kind === 'words'" class="words">
              <span v-for="word in field.options" :key="word" class="choice">
                <Checkbox v-model="row[field.name]" :value="word" :input-id="`${index} ${word}`" /> <label :for="`${index} ${word}`">{{ word }}</label>
              </span>
            </span>
            <InputNumber
              v-else-if="field.kind === 'number'" :model-value="row[field.name] as number" :use-grouping="false" :max-fraction-digits="4"
              :min="field.low ?? undefined" :max="field.high ?? undefined"
              @input="row[field.name] = $event.value"
            />
            <InputText v-else v-model="row[field.name] as string" class="text" />
          </component>
        </span>
        <Button link label="take out" :aria-label="`take out ${wordsOf(row.requirement)}`" @click="open.lines.splice(index, 1)" />
      </div>
      <div class="line">
        <Select
          v-model="adding" :options="lacking" option-label="words" option-value="requirement" placeholder="another line…" filter aria-label="Another line"
          :disabled="!known" @change="add"
        />
      </div>
    </section>
    <aside v-if="open" class="example" aria-label="What it means">
      <h2 class="heading">What it means</h2>
      <Message v-if="wrong" severity="error">{{ wrong }}</Message>
      <template v-else-if="example">
        <p class="row"><span>a file is called</span></p>
        <p class="number name">{{ example.file_name }}</p>
        <p v-for="(line, index) in example.asks" :key="index" class="row">
          <span>{{ line.what === line.asks ? 'by eye' : line.what }}</span><span class="number">{{ line.asks }}</span>
        </p>
        <template v-if="example.prints.length">
          <h2 class="heading prints">Prints with no further cropping</h2>
          <p v-for="print in example.prints" :key="print" class="number">{{ print }}</p>
        </template>
        <template v-if="versions.length > 1">
          <h2 class="heading prints">Versions</h2>
          <div v-for="version in versions" :key="version.id" class="version">
            <b>version {{ version.version }}</b> <span class="soft">{{ moment(version.made_at) }}</span>
            <p v-for="(one, index) in version.changed" :key="index" class="small"><b>{{ one.what }}</b> {{ read(one) }}</p>
          </div>
        </template>
      </template>
    </aside>
    <section v-else class="sheet">
      <p>A slip is what a receiver asks of a photo, line by line. Take the library of eight to begin with, or write one of your own.</p>
      <Button v-if="lead && library.length === 0" class="new" label="Take the library of eight" @click="takeLibrary" />
    </section>
  </main>
</template>

<style scoped>
.slips { display: grid; grid-template-columns: 262px minmax(0, 1fr) 300px; height: calc(100% - 40px); }
.paper, .example { background: var(--paper); padding: 14px 12px; overflow: auto; }
.paper { border-right: 1px solid var(--hairline); }
.example { border-left: 1px solid var(--hairline); }
.new, .paper :deep(.p-fileupload) { margin-top: 10px; }
.sheet { padding: 14px 16px; overflow: auto; }
.top { display: flex; flex-wrap: wrap; gap: 16px; align-items: center; margin-bottom: 12px; }
.top label { display: flex; gap: 6px; align-items: center; }
.wide { width: 230px; }
.line {
  display: grid; grid-template-columns: 150px minmax(0, 1fr) auto; gap: 12px; align-items: center; padding: 5px 10px; margin-bottom: 3px;
  background: var(--paper); border-radius: 3px; min-height: 36px;
}
.fields, .words { display: flex; flex-wrap: wrap; gap: 4px 14px; }
.field { display: flex; gap: 5px; align-items: center; }
.words { display: flex; flex-wrap: wrap; gap: 0 14px; }
.fields .text { width: 260px; }
.row { display: flex; justify-content: space-between; gap: 8px; padding: 3px 0; }
.row .number { text-align: right; }
.name { padding: 4px 0 8px; overflow-wrap: anywhere; }
.prints { margin-top: 16px; }
.version { padding: 5px 0; }
</style>
