<script setup lang="ts">
import Button from 'primevue/button'
import InputNumber from 'primevue/inputnumber'
import Select from 'primevue/select'
import SelectButton from 'primevue/selectbutton'
import { computed } from 'vue'

import Ruler from '../../parts/Ruler.vue'
import { largestOf, rectOf, turnedRect, type Point, type Rect, type Turning } from '../picture/geometry'
import { GUIDES } from '../picture/overlays/guides'
import type { Change } from '../rooms/useLedger'
import { theBench } from '../useBench'
import DeckFrame from './DeckFrame.vue'
import RatioChoice from './RatioChoice.vue'
import SphereControls from './SphereControls.vue'
import SquareRatio from './SquareRatio.vue'

const { decks, ledger, tools, frames, view } = theBench()
const ALL = [
  { tool: 'crop', title: 'Crop', key: '', says: 'Drag the frame, its sides or corners' },
  { tool: 'line', title: 'Line', key: 'L', says: 'Draw along something that should be level or upright' },
  { tool: 'corners', title: 'Corners', key: '', says: 'Square up something flat by its four corners' },
]
const SPHERE = { tool: 'sphere', title: 'Horizon', key: '', says: 'Level a panorama, and say where a viewer of it begins' }
const TOOLS = computed(() => (view.around.sphere ? [...ALL, SPHERE] : ALL))
const TURNS: { way: Turning; label: string; says: string }[] = [
  { way: 'left', label: '↶ 90°', says: 'Quarter turn left' },
  { way: 'right', label: '90° ↷', says: 'Quarter turn right' },
  { way: 'mirror', label: 'Mirror ↔', says: 'Left becomes right' },
  { way: 'flip', label: '↕', says: 'Top becomes bottom' },
]

const crop = computed(() => ledger.stepOf('crop'))
const ratio = computed(() => String(crop.value?.params?.ratio ?? ''))
const straighten = computed(() => decks.ruler('straighten', 'angle'))
const angle = computed(() => frames.head?.angle ?? 0)
/** Found in the picture as it came: it says nothing of one that was squared up. */
const proposed = computed(() => (ledger.stepOf('corners') ? undefined : ledger.proposals.straighten?.angle))
const size = computed(() => frames.head?.crop.slice(2).map(Math.round) ?? [0, 0])
const least = computed(() => decks.ruler('crop', 'width')?.low ?? 1)
const longSide = computed(() => (ledger.stepOf('output_size')?.params?.long_side as number | undefined) ?? null)
const output = computed(() => decks.ruler('output_size', 'long_side'))
const served = computed(() => prints.value.slice(0, 3).join(' · ') || 'no usual size without cropping again')
const prints = computed(() => (frames.head?.prints ?? []).map((print) => `${print.across} × ${print.down} in ${print.ppi} ppi`))

/** The largest crop of a ratio, about the middle of the present one. */
async function choose(name: string) {
  const now = frames.head
  if (!now) return
  tools.tool = 'crop'
  const present = rectOf(now.crop)
  const chosen = name === 'free' ? present : largestOf(name, rectOf(now.room), middleOf(present))
  await ledger.putStep(`Crop ${name}`, ledger.stepFor('crop', { ...chosen, ratio: name }))
}
function middleOf(rect: Rect): Point {
  return [rect.left + rect.width / 2, rect.top + rect.height / 2]
}

/** An exact size in pixels, about the middle of the present crop. */
async function exact(wanted: { width?: number | null; height?: number | null }) {
  const now = frames.head
  if (!now) return
  const room = rectOf(now.room)
  const present = rectOf(now.crop)
  const width = Math.min(Math.round(wanted.width || present.width), Math.floor(room.width))
  const height = Math.min(Math.round(wanted.height || present.height), Math.floor(room.height))
  const [x, y] = middleOf(present)
  const rect = { left: Math.round(x - width / 2), top: Math.round(y - height / 2), width, height }
  await ledger.putStep('Crop to pixels', ledger.stepFor('crop', { ...rect, ratio: 'free' }))
}
async function setOutput(to: number | null) {
  const present = ledger.stepOf('output_size')
  if (to) await ledger.putStep('Output size', ledger.stepFor('output_size', { long_side: to }))
  else if (present) await ledger.remove(present.id ?? '')
}

function straightened(to: number) {
  return { ...ledger.stepFor('straighten', {}), params: { angle: to } }
}

/** Quarter turns and mirroring take the crop and the angle along. */
async function turn(way: Turning) {
  const present = ledger.stepFor('turn', {})
  const mirrored = Boolean(present.params?.mirror)
  // a mirrored picture turns the other way round; top for bottom is left for right and half a turn
  const by = { right: mirrored ? -1 : 1, left: mirrored ? 1 : -1, mirror: 0, flip: 2 }[way]
  const mirrors = way === 'mirror' || way === 'flip'
  const next = { quarters: (Number(present.params?.quarters ?? 0) + by + 8) % 4, mirror: mirrored !== mirrors }
  const changes: Change[] = []
  const first = ledger.steps.find((view) => view.station === 'frame')?.step.id
  if (next.quarters === 0 && !next.mirror) changes.push({ kind: 'remove', id: present.id ?? '' })
  else changes.push({ kind: 'put', step: { ...present, params: next }, before: first })
  if (crop.value) {
    const turned = turnedRect(crop.value.params as unknown as Rect & { ratio: string }, frames.head?.turned ?? [1, 1], way)
    changes.push({ kind: 'put', step: { ...crop.value, params: { ...turned } } })
  }
  const slant = ledger.stepOf('straighten')
  if (slant && mirrors) changes.push({ kind: 'put', step: { ...slant, params: { angle: -Number(slant.params?.angle ?? 0) } } })
  await ledger.change(mirrors ? 'Mirror' : 'Turn', changes)
}
</script>

<template>
  <DeckFrame>
    <template #tools>
      <SelectButton
        :model-value="tools.tool" :options="TOOLS" option-label="title" option-value="tool" :allow-empty="false" aria-label="Frame tools"
        @update:model-value="tools.tool = $event"
      >
        <template #option="{ option }">
          <span v-tooltip.top="option.says">{{ option.title }} <span v-if="option.key" class="key" aria-hidden="true">{{ option.key }}</span></span>
        </template>
      </SelectButton>
      <Button v-if="tools.tool === 'corners'" label="Square up now" @click="tools.squareUp()" />
      <Button
        v-for="{ way, label, says } in TURNS" :key="way" v-tooltip.top="says" severity="secondary" :label="label"
        :aria-label="`${label}, ${says.toLowerCase()}`"
        @click="turn(way)"
      />
    </template>
    <template #acts>
      <SquareRatio />
      <label class="field">guides <Select v-model="tools.guide" :options="[...GUIDES]" aria-label="Guides" /></label>
    </template>
    <SphereControls v-if="tools.tool === 'sphere'" />
    <div v-else class="frame">
      <RatioChoice class="ratios" :ratio="ratio" @choose="choose" />
      <Ruler
        v-if="straighten" class="angle" :ruler="straighten" :value="angle" :proposal="proposed"
        :before="Number(ledger.before('straighten')?.params?.angle ?? 0)"
        @drag="ledger.drag(straightened($event))" @settle="ledger.putStep('Straighten', straightened($event))"
      />
      <div class="sizes">
        <div class="field">
          <span class="name">crop</span>
          <InputNumber
            :model-value="size[0]" :min="least" :use-grouping="false" aria-label="Crop width in pixels"
            @update:model-value="exact({ width: $event })"
          />
          <span>×</span>
          <InputNumber
            :model-value="size[1]" :min="least" :use-grouping="false" aria-label="Crop height in pixels"
            @update:model-value="exact({ height: $event })"
          />
          <span>px</span>
        </div>
        <div class="field">
          <span class="name">output, long side</span>
          <InputNumber
            :model-value="longSide" :min="output?.low" :max="output?.high" :use-grouping="false" placeholder="own" aria-label="Output long side in pixels"
            @update:model-value="setOutput"
          />
          <span>px</span>
        </div>
      </div>
      <p v-tooltip.top="prints.join(', ')" class="prints">
        <span class="soft">prints:</span> <span class="number">{{ served }}</span>
      </p>
    </div>
  </DeckFrame>
</template>

<style scoped>
.frame { display: grid; grid-template: 'ratios sizes' auto 'angle prints' auto / minmax(0, 1fr) auto; gap: 0 26px; align-items: center; }
.ratios { grid-area: ratios; min-width: 0; }
.angle { grid-area: angle; }
.sizes { grid-area: sizes; display: grid; gap: 3px; }
.sizes :deep(input) { min-height: 24px; }
.prints { grid-area: prints; max-width: 330px; overflow: hidden; text-overflow: ellipsis; white-space: nowrap; }
.field { display: flex; gap: 6px; align-items: center; white-space: nowrap; }
.name { min-width: 104px; }
@media (max-width: 1200px) { .name { min-width: 0; } .prints { max-width: 250px; } }
</style>
