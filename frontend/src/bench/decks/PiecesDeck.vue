<script setup lang="ts">
import Button from 'primevue/button'
import Select from 'primevue/select'
import SelectButton from 'primevue/selectbutton'
import Textarea from 'primevue/textarea'
import ToggleButton from 'primevue/togglebutton'
import { computed } from 'vue'

import FileButton from '../../parts/FileButton.vue'
import { scopedTo } from '../areas/scoped'
import { inPerspective, perspective } from '../pieces/placing'
import { provideBench, theBench } from '../useBench'
import ControlGrid from './ControlGrid.vue'
import DeckFrame from './DeckFrame.vue'

const bench = theBench()
const { decks, ledger, tools, pieces, areas, view } = bench
type Picture = (typeof pieces.others)[number]

// rulers set the piece that is taken up, and its own steps of light
const scope = computed(() => pieces.piece)
const scoped = scopedTo(scope, ledger, decks)
provideBench({ ...bench, ledger: scoped })

const horizon = computed(() => pieces.current?.params?.horizon != null)
const standing = computed(() => Boolean(pieces.piece && inPerspective(pieces.piece)))
/** Numbers that fit a piece to what lies around it, and those that join it to that; the rest is how it lies. */
const FIT = ['exposure', 'warmth', 'tint', 'contrast', 'grain', 'blur']
const JOIN = ['softened', 'melt', 'glass', 'lends', 'opacity', 'blend']
const SHADE = ['shade']
/** What a text's letters are like, and how its lines are set; the rest is how it lies. */
const TYPE = ['size', 'face', 'weight', 'colour']
const LINES = ['tracking', 'leading', 'align', 'width']
interface Group { name: string; ops: string[]; count: number; only?: (param: string) => boolean }
const groups = computed<Group[]>(() => {
  const op = pieces.piece?.op ?? ''
  if (op !== 'piece') {
    return [
      { name: 'type', ops: [op], count: 0, only: (param) => TYPE.includes(param) },
      { name: 'lines', ops: [op], count: 0, only: (param) => LINES.includes(param) },
      { name: 'place', ops: [op], count: 0, only: (param) => ![...TYPE, ...LINES].includes(param) },
    ]
  }
  const apart = [...FIT, ...JOIN, ...SHADE, ...(horizon.value ? [] : ['horizon'])]
  const own: Group[] = [
    { name: 'place', ops: [op], count: 0, only: (param) => !standing.value && !apart.includes(param) },
    { name: 'fit', ops: [op], count: 0, only: (param) => FIT.includes(param) },
    { name: 'join', ops: [op], count: 0, only: (param) => JOIN.includes(param) },
    { name: 'shade', ops: [op], count: 0, only: (param) => SHADE.includes(param) },
  ]
  const all = decks.inStation('balance')
  const light = (decks.all?.groups ?? []).flatMap((name) => {
    const ops = all.filter(({ operation }) => operation.group === name).map((one) => one.name)
    return ops.length ? [{ name, ops, count: scoped.countOf((view) => ops.includes(view.step.op)) }] : []
  })
  return [...own, ...light]
})
const open = computed(() => groups.value.find((group) => group.name === tools.groups.pieces) ?? groups.value[0])

const parts = computed(() => [
  { name: 'all', says: 'all' },
  { name: 'subject', says: 'subject' },
  ...(pieces.laidOf === 'outlined' ? [{ name: 'outlined', says: 'outlined' }] : []),
])
const seen = computed(() => [
  { name: 'all', says: 'all' },
  { name: 'sky', says: 'sky' },
  ...(pieces.seen === 'found' ? [{ name: 'found', says: 'outlined' }] : []),
  ...(areas.copied || pieces.seen === 'cover' ? [{ name: 'cover', says: 'the copied cover' }] : []),
])
/** Whether the photo could show what it shows: another photo's, no made sky. */
const likely = computed(() => {
  const picture = String(pieces.piece?.params?.picture ?? '')
  return picture !== '' && !pieces.skies.some((one) => one.picture === picture)
})
const text = computed(() => (pieces.piece?.op === 'text' ? String(pieces.piece.params?.text ?? '') : null))
const contrast = computed(() => pieces.lying?.contrast ?? null)
const skies = computed(() => [
  { label: 'made', items: pieces.skies },
  ...(pieces.others.length ? [{ label: 'from the ticket', items: pieces.others }] : []),
])

/** What it lies in: the photo, the view that is looked through, a plane of the scene, or one that is still to be set. */
const ON_PHOTO = 'photo'
const HERE = 'here'
const NEW = 'new'
const lies = computed(() => [
  { id: ON_PHOTO, title: pieces.seenIn ? 'its view' : 'the photo' },
  ...(view.spec ? [{ id: HERE, title: 'what is seen now' }] : []),
  ...pieces.planes,
  { id: NEW, title: 'a plane to set…' },
])
function lie(id: string) {
  if (id === HERE) void pieces.lieHere()
  else void (id === NEW ? pieces.setPlane() : pieces.lieIn(id === ON_PHOTO ? null : id))
}
function stand(on: boolean) {
  const [step, lying] = [pieces.piece, pieces.lying]
  if (step && lying) void pieces.put(on ? 'Four corners' : 'Level', perspective(step, lying, on))
}
function say(event: Event) {
  const written = (event.target as HTMLTextAreaElement).value
  if (written.trim() && written !== text.value) void pieces.set('Write', { text: written })
}
</script>

<template>
  <DeckFrame>
    <template #tools>
      <ToggleButton
        v-tooltip.top="'Draw loosely around a thing: it is cut with its fine edge'" :model-value="tools.tool === 'cut'"
        on-label="from this photo" off-label="from this photo" @update:model-value="tools.toggle('cut')"
      />
      <Select
        v-if="pieces.others.length" :key="`ticket ${ledger.revision}`" :model-value="null" :options="pieces.others" option-label="title"
        placeholder="from the ticket" aria-label="From the ticket" @update:model-value="(one: Picture) => pieces.layPhoto(one)"
      />
      <FileButton
        v-tooltip.top="'A picture of this machine; it is kept with the photo, and is none of the ticket\'s'" label="a file"
        accept="image/*,.tif,.tiff" :loading="pieces.coming" @chosen="pieces.layFile"
      />
      <Select
        :key="`sky ${ledger.revision}`" :model-value="null" :options="skies" option-label="title" option-group-label="label"
        option-group-children="items" placeholder="another sky" aria-label="Another sky" @update:model-value="(one: Picture) => pieces.laySky(one)"
      />
      <Select
        v-if="pieces.others.length" :model-value="pieces.waiting" :options="pieces.others" option-label="title" placeholder="into a frame"
        aria-label="Into a frame" @update:model-value="(one: Picture) => pieces.into(one)"
      />
      <Button severity="secondary" label="text" @click="pieces.write()" />
      <Button
        v-tooltip.top="'For another program: repaired, with its pieces, before light and crop; a 16-bit TIFF'" as="a" severity="secondary" label="lend"
        :href="`/api/photos/${ledger.photo}/lent`" download
      />
      <FileButton
        v-tooltip.top="'What was lent, changed elsewhere: only what was changed is laid over'" label="take back" accept=".tif,.tiff,image/tiff"
        :loading="pieces.coming" @chosen="pieces.takeBack"
      />
    </template>
    <template #acts>
      <template v-if="pieces.piece">
        <ToggleButton
          v-tooltip.top="'Each corner by itself'" :model-value="standing" on-label="four corners" off-label="four corners"
          :disabled="!pieces.lying" @update:model-value="stand"
        />
        <ToggleButton
          v-if="pieces.piece.op === 'piece' && !standing" v-tooltip.top="'A line in it that stays where it lies, and snaps to where the photo\'s sky ends'"
          :model-value="horizon" on-label="horizon" off-label="horizon" :disabled="!pieces.lying" @update:model-value="pieces.tellHorizon"
        />
        <Button
          v-if="likely"
          v-tooltip.top="'Where the photo shows the same, as of another shot of the floor: by places that both show'" severity="secondary"
          label="Place by likeness" :loading="pieces.placing" :disabled="!pieces.lying" @click="pieces.placeByLikeness()"
        />
        <Button
          v-if="pieces.ownCut" v-tooltip.top="'Where it was cut from'" severity="secondary" label="Grow the old place shut" @click="pieces.growShut()"
        />
        <ToggleButton
          v-if="pieces.mirrored" v-tooltip.top="'Draw loosely around water or glass: it is mirrored there'" :model-value="tools.tool === 'mirror'"
          on-label="Mirror it in…" off-label="Mirror it in…" @update:model-value="tools.toggle('mirror')"
        />
        <Button
          v-tooltip.top="'As a cover: for an area, a fence, a place to avoid'" severity="secondary" label="Copy its outline" @click="pieces.copyOutline()"
        />
        <Button severity="secondary" label="Put it away" @click="tools.selected = null" />
      </template>
    </template>
    <div v-if="!pieces.piece" class="begin">
      <p v-if="tools.tool === 'cut'">Draw loosely around what is meant.</p>
      <p v-else-if="tools.tool === 'into'">Click inside the screen, frame or sign that “{{ pieces.waiting?.title }}” goes into.</p>
      <p v-else class="soft">
        A piece lies on the photo like cut paper: a part of this photo, another of the ticket, a file, another sky, a text.
      </p>
    </div>
    <template v-else>
      <div class="where">
        <template v-if="pieces.piece.op === 'piece'">
          <span class="row"><i>of it</i>
            <SelectButton
              :model-value="pieces.laidOf" :options="parts" option-label="says" option-value="name" :allow-empty="false" aria-label="Of it"
              @update:model-value="pieces.layOf"
            />
            <ToggleButton
              v-tooltip.top="'Draw loosely around a thing in it: only that stays'" :model-value="tools.tool === 'trim'" on-label="around…" off-label="around…"
              :disabled="!pieces.lying" @update:model-value="tools.toggle('trim')"
            />
            <ToggleButton
              v-if="pieces.laidOf !== 'all'" v-tooltip.top="'Stroke over what belongs to it; with Alt, over what does not'" :model-value="tools.tool === 'lead'"
              on-label="stroke…" off-label="stroke…" :disabled="!pieces.lying" @update:model-value="tools.toggle('lead')"
            />
          </span>
          <span class="row"><i>through</i>
            <SelectButton
              :model-value="pieces.seen" :options="seen" option-label="says" option-value="name" :allow-empty="false" aria-label="Seen through"
              @update:model-value="pieces.seenThrough"
            />
            <ToggleButton
              v-if="['sky', 'found'].includes(pieces.seen)"
              v-tooltip.top="'Stroke over what it is seen in; with Alt, over what it is not'" :model-value="tools.tool === 'through'"
              on-label="stroke…" off-label="stroke…" @update:model-value="tools.toggle('through')"
            />
          </span>
          <span class="row"><i>match</i>
            <Button
              v-for="share in [0.5, 1]" :key="share" v-tooltip.top="'Light, grain and sharpness toward what lies around it'" severity="secondary"
              :label="`△ ${100 * share} %`" :loading="pieces.matching" @click="pieces.match(share)"
            />
          </span>
        </template>
        <label v-if="!standing" class="row"><i>lies in</i>
          <Select
            :key="`plane ${ledger.revision}`" :model-value="pieces.planeOf ?? ON_PHOTO" :options="lies" option-label="title" option-value="id"
            aria-label="Lies in" @update:model-value="lie"
          />
        </label>
        <SelectButton
          v-if="groups.length > 1" class="groups" :model-value="open?.name" :options="groups" option-label="name" option-value="name" :allow-empty="false"
          aria-label="Groups of rulers of the piece" @update:model-value="tools.groups.pieces = $event"
        >
          <template #option="{ option }">{{ option.name }}<sup v-if="option.count">{{ option.count }}</sup></template>
        </SelectButton>
      </div>
      <p v-if="standing && open?.name === 'place'" class="soft">Its corners are placed by hand, each by itself.</p>
      <ControlGrid v-else-if="open" :key="`${pieces.piece.id} ${open.name}`" tight :ops="open.ops" :only="open.only" />
    </template>
    <template v-if="text !== null" #side>
      <div class="text">
        <Textarea :key="pieces.piece?.id" :model-value="text" rows="4" aria-label="Text" spellcheck="true" @change="say" @blur="say" />
        <p v-if="contrast !== null" class="small" :class="contrast < 3 ? 'poor' : 'soft'">
          contrast {{ contrast.toFixed(1) }} : 1<template v-if="contrast < 4.5"> · {{ contrast < 3 ? 'hard to read' : 'for large text only' }}</template>
        </p>
      </div>
    </template>
  </DeckFrame>
</template>

<style scoped>
.begin { max-width: 640px; padding: 8px 0; }
.where { display: flex; gap: 4px 8px; align-items: center; flex-wrap: wrap; margin-bottom: 4px; }
.where :deep(.p-togglebutton) { min-width: 26px; }
.where :deep(.p-togglebutton-content) { padding-inline: 5px; }
.groups { margin-left: auto; }
.row { display: flex; gap: 5px; align-items: center; }
.text { display: grid; gap: 4px; width: 230px; align-content: start; }
.poor { color: var(--short); }
</style>
