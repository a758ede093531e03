<script setup lang="ts">
import Button from 'primevue/button'
import { computed, onMounted, ref, watch } from 'vue'

import { api, Problem, taken, type Schemas } from '../api/client'
import PageHead from '../parts/PageHead.vue'
import { useSaying } from '../useSaying'
import { useSession } from '../useSession'

type Slip = Schemas['Slip']
type Row = Record<string, unknown> & { requirement: string }
interface Field { name: string; kind: 'number' | 'text' | 'yes' | 'choice' | 'words'; options: (string | number)[]; preset: unknown; hint: string }

const { person } = useSession()
const { sayError, say } = useSaying()
const library = ref<Schemas['SlipView'][]>([])
const lines = ref<Record<string, Field[]>>({})
const open = ref<{ name: string; name_pattern: string; lines: Row[] } | null>(null)
const example = ref<Schemas['Example'] | null>(null)
const wrong = ref('')
const adding = ref('')
/** Whether the kinds of lines are here: before that a new one would lack its numbers. */
const known = computed(() => Object.keys(lines.value).length > 0)
const lead = computed(() => person.value?.role === 'lead')

/** What each line is about, in the order in which people ask. */
const WORDS: Record<string, string> = {
  format: 'file format', bit_depth: 'bit depth', profile: 'colour profile', ratio: 'ratio', exact_size: 'exact size', long_side: 'long side', megapixels: 'minimum megapixels',
  no_enlargement: 'no enlargement', ppi: 'pixels per inch', file_size: 'file size', name_pattern: 'file name', white_ground: 'white ground', subject_share: "subject's share",
  level: 'level', cast: 'cast at neutrals', clipped_whites: 'clipped whites', saturation_change: 'saturation change', specks: 'specks left', repeats: 'repeats', joins: 'visible joins',
  grain: 'grain lost', bleed: 'across fences', metadata: 'required metadata', no_location: 'location removed', projection: 'flat 2:1 with its data', alterations: 'declared alterations', by_eye: 'by eye',
}

onMounted(async () => {
  try {
    library.value = taken(await api.GET('/api/slips'))
    lines.value = fieldsOf(taken(await api.GET('/api/slips/lines')))
    const first = library.value[0]
    if (first && !open.value) take(first)
  } catch (error) {
    sayError(error)
  }
})

interface Schema { $defs: Record<string, { properties: Record<string, Property> }> }
interface Property { const?: string; type?: string; enum?: (string | number)[]; default?: unknown; description?: string; items?: { enum?: string[] } }
function fieldsOf(raw: unknown): Record<string, Field[]> {
  const found: Record<string, Field[]> = {}
  for (const { properties } of Object.values((raw as Schema).$defs)) {
    const requirement = properties.requirement?.const
    if (!requirement) continue
    found[requirement] = Object.entries(properties).filter(([name, one]) => name !== 'requirement' && one.const === undefined).sort(([a], [b]) => Number(a === 'tolerance') - Number(b === 'tolerance')).map(([name, one]) => ({
      name,
      kind: one.items?.enum ? 'words' : one.enum ? 'choice' : one.type === 'boolean' ? 'yes' : one.type === 'string' ? 'text' : 'number',
      options: one.items?.enum ?? one.enum ?? [],
      preset: one.default,
      hint: one.description ?? '',
    }))
  }
  return found
}
const PRESETS: Record<string, unknown> = { across: 3, down: 2, pixels: 2400, width: 1200, height: 800, at_least: 6, at_most: 5, pattern: '{ticket}_{number:02}', words: 'what the person ticks', fields: ['title'] }

function take(kept: Schemas['SlipView']) {
  open.value = JSON.parse(JSON.stringify(kept.slip)) as typeof open.value
}
function begin() {
  open.value = { name: 'New slip', name_pattern: '{ticket}_{number:02}', lines: [{ requirement: 'ratio', across: 3, down: 2, either_way: true }, { requirement: 'format', format: 'JPEG', quality: 100 }] }
}
function add() {
  if (!open.value || !adding.value) return
  const row: Row = { requirement: adding.value }
  for (const field of lines.value[adding.value] ?? []) row[field.name] = field.preset ?? PRESETS[field.name]
  open.value.lines.push(row)
  adding.value = ''
}
function put(row: Row, field: Field, event: Event) {
  const input = event.target as HTMLInputElement
  if (field.kind === 'yes') row[field.name] = input.checked
  else if (field.kind === 'number') row[field.name] = Number(input.value)
  else if (field.kind === 'choice') row[field.name] = field.options.find((option) => String(option) === input.value)
  else row[field.name] = input.value
}
function toggle(row: Row, field: Field, word: string | number) {
  const now = (row[field.name] as (string | number)[] | undefined) ?? []
  row[field.name] = now.includes(word) ? now.filter((one) => one !== word) : [...now, word]
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
    if (own === asking) wrong.value = error instanceof Problem ? `${error.message} ${error.hint}` : 'The server cannot be reached.'
  }
}, { deep: true })

async function keep() {
  if (!open.value) return
  try {
    const kept = taken(await api.PUT('/api/slips', { body: open.value as unknown as Slip }))
    say(`${kept.slip.name} is kept as version ${kept.version}. Tickets keep the version that they were agreed on.`)
    library.value = taken(await api.GET('/api/slips'))
  } catch (error) {
    sayError(error)
  }
}
</script>

<template>
  <PageHead number="FERN TICKET" to="/" title="Slips" under="delivery measures, by receiver" />
  <main class="slips">
    <aside class="paper">
      <h2 class="heading">Library</h2>
      <button v-for="kept in library" :key="kept.id" class="kept" type="button" :aria-pressed="open?.name === kept.slip.name" @click="take(kept)">
        <strong>{{ kept.slip.name }}</strong> <span class="soft">version {{ kept.version }}, {{ kept.slip.lines.length }} lines</span>
      </button>
      <button class="plain new" type="button" @click="begin">New slip</button>
    </aside>
    <section v-if="open" class="sheet">
      <div class="top">
        <label>name <input v-model="open.name" maxlength="80" /></label>
        <label>files are called <input v-model="open.name_pattern" class="wide" maxlength="120" title="{ticket}, {number:02}, {client}, {photo}" /></label>
        <Button size="small" label="Keep" :disabled="Boolean(wrong) || !lead" @click="keep" />
        <span v-if="!lead" class="soft small">Kept by those who lead.</span>
      </div>
      <div v-for="(row, index) in open.lines" :key="index" class="line">
        <strong>{{ WORDS[row.requirement] ?? row.requirement }}</strong>
        <span class="fields">
          <label v-for="field in lines[row.requirement]" :key="field.name" :title="field.hint">
            <span class="soft">{{ field.name.replace(/_/g, ' ') }}</span>
            <input v-if="field.kind === 'yes'" type="checkbox" :checked="Boolean(row[field.name])" @change="put(row, field, $event)" />
            <select v-else-if="field.kind === 'choice'" :value="String(row[field.name])" @change="put(row, field, $event)"><option v-for="option in field.options" :key="option">{{ option }}</option></select>
            <span v-else-if="field.kind === 'words'" class="words">
              <label v-for="word in field.options" :key="word"><input type="checkbox" :checked="((row[field.name] as unknown[]) ?? []).includes(word)" @change="toggle(row, field, word)" /> {{ word }}</label>
            </span>
            <input v-else :type="field.kind" :class="field.kind" step="any" :value="row[field.name]" @input="put(row, field, $event)" />
          </label>
        </span>
        <button class="link" type="button" :aria-label="`take out ${WORDS[row.requirement]}`" @click="open.lines.splice(index, 1)">take out</button>
      </div>
      <div class="line">
        <select v-model="adding" aria-label="Another line" :disabled="!known" @change="add"><option value="">another line…</option><option v-for="(words, requirement) in WORDS" :key="requirement" :value="requirement">{{ words }}</option></select>
      </div>
    </section>
    <aside v-if="open" class="example">
      <h2 class="heading">What it means</h2>
      <p v-if="wrong" class="wrong" role="alert">{{ wrong }}</p>
      <template v-else-if="example">
        <p class="row"><span>a file is called</span></p>
        <p class="number name">{{ example.file_name }}</p>
        <p v-for="(line, index) in example.asks" :key="index" class="row"><span>{{ line.what === line.asks ? 'by eye' : line.what }}</span><span class="number">{{ line.asks }}</span></p>
        <template v-if="example.prints.length">
          <h2 class="heading prints">Prints with no further cropping</h2>
          <p v-for="print in example.prints" :key="print" class="number">{{ print }}</p>
        </template>
      </template>
    </aside>
  </main>
</template>

<style scoped>
.slips { display: grid; grid-template-columns: 262px minmax(0, 1fr) 300px; height: calc(100% - 40px); }
.paper, .example { background: var(--paper); padding: 14px 12px; overflow: auto; }
.paper { border-right: 1px solid var(--hairline); }
.example { border-left: 1px solid var(--hairline); }
.kept { display: grid; gap: 2px; width: 100%; margin-top: 6px; padding: 7px 9px; text-align: left; font: inherit; color: inherit; background: var(--sheet); border: 1px solid var(--hairline); border-radius: 3px; cursor: pointer; }
.kept[aria-pressed='true'] { border-color: var(--fern); box-shadow: inset 0 0 0 1px var(--fern); }
.new { margin-top: 10px; }
.sheet { padding: 14px 16px; overflow: auto; }
.top { display: flex; gap: 16px; align-items: center; margin-bottom: 12px; }
.top label { display: flex; gap: 6px; align-items: center; }
.wide { width: 230px; }
.line { display: grid; grid-template-columns: 150px minmax(0, 1fr) auto; gap: 12px; align-items: center; padding: 5px 10px; margin-bottom: 3px; background: var(--paper); border-radius: 3px; min-height: 36px; }
.fields, .words { display: flex; flex-wrap: wrap; gap: 4px 14px; }
.fields label { display: flex; gap: 5px; align-items: center; }
.fields .number { width: 76px; }
.fields .text { width: 260px; }
.row { display: flex; justify-content: space-between; gap: 8px; padding: 3px 0; }
.row .number { text-align: right; }
.name { padding: 4px 0 8px; overflow-wrap: anywhere; }
.prints { margin-top: 16px; }
.wrong { color: var(--short); }
</style>
