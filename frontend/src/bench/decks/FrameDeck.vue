<script setup lang="ts">
import { computed, ref } from 'vue'

import Ruler from '../../parts/Ruler.vue'
import { largestOf, rectOf, turnedRect, type Point, type Rect, type Turning } from '../geometry'
import { GUIDES } from '../overlays/guides'
import { theBench } from '../useBench'
import type { Change } from '../useLedger'

const bench = theBench()
const ratios = ['free', '1:1', '4:5', '3:4', '5:7', '2:3', '9:16', '1:2', '5:4', '4:3', '7:5', '3:2', '16:9', '2:1']

const crop = computed(() => bench.stepOf('crop'))
const ratio = computed(() => String(crop.value?.params?.ratio ?? ''))
const angle = computed(() => bench.head.value?.angle ?? 0)
/** Found in the picture as it came: it says nothing of one that was squared up. */
const proposed = computed(() => (bench.stepOf('corners') ? undefined : bench.proposals.value.straighten?.angle))
const size = computed(() => bench.head.value?.crop.slice(2).map(Math.round) ?? [0, 0])
const longSide = computed(() => Number(bench.stepOf('output_size')?.params?.long_side ?? 0))
const prints = computed(() => (bench.head.value?.prints ?? []).map((print) => `${print.across} × ${print.down} in ${print.ppi} ppi`))

/** The little outline of a ratio, drawn to scale. */
function outline(name: string) {
  const [across, down] = name.split(':').map(Number)
  const k = 17 / Math.max(across || 1.25, down || 1)
  return { width: `${k * (across || 1.25)}px`, height: `${k * (down || 1)}px` }
}

/** The largest crop of a ratio, about the middle of the present one. */
async function choose(name: string) {
  const now = bench.head.value
  if (!now) return
  bench.tool.value = 'crop'
  const present = rectOf(now.crop)
  const chosen = name === 'free' ? present : largestOf(name, rectOf(now.room), middleOf(present))
  await bench.putStep(`Crop ${name}`, bench.stepFor('crop', { ...chosen, ratio: name }))
}
function middleOf(rect: Rect): Point {
  return [rect.left + rect.width / 2, rect.top + rect.height / 2]
}

/** An exact size in pixels, about the middle of the present crop. */
const typed = ref<{ width?: number; height?: number }>({})
async function exact() {
  const now = bench.head.value
  if (!now) return
  const room = rectOf(now.room)
  const present = rectOf(now.crop)
  const width = Math.min(Math.round(typed.value.width || present.width), Math.floor(room.width))
  const height = Math.min(Math.round(typed.value.height || present.height), Math.floor(room.height))
  typed.value = {}
  if (!(width >= 16 && height >= 16)) return bench.sayProblem('A crop is at least 16 pixels wide and high.', 'Type a larger number.')
  const [x, y] = middleOf(present)
  await bench.putStep('Crop to pixels', bench.stepFor('crop', { left: Math.round(x - width / 2), top: Math.round(y - height / 2), width, height, ratio: 'free' }))
}
async function output(event: Event) {
  const value = Math.round(Number((event.target as HTMLInputElement).value))
  const present = bench.stepOf('output_size')
  if (!value && present) await bench.remove(present.id ?? '')
  else if (value >= 16) await bench.putStep('Output size', bench.stepFor('output_size', { long_side: value }))
}

function dragAngle(value: number) {
  bench.dragStep(bench.stepFor('straighten', { angle: value }))
}
async function settleAngle(value: number) {
  await bench.putStep('Straighten', { ...bench.stepFor('straighten', {}), params: { angle: value } })
}

/** Quarter turns and mirroring take the crop and the angle along. */
async function turn(way: Turning) {
  const present = bench.stepFor('turn', {})
  const mirrored = Boolean(present.params?.mirror)
  // a mirrored picture turns the other way round; top for bottom is left for right and half a turn
  const by = { right: mirrored ? -1 : 1, left: mirrored ? 1 : -1, mirror: 0, flip: 2 }[way]
  const mirrors = way === 'mirror' || way === 'flip'
  const next = { quarters: (Number(present.params?.quarters ?? 0) + by + 8) % 4, mirror: mirrored !== mirrors }
  const changes: Change[] = []
  const first = bench.steps.value.find((view) => view.station === 'frame')?.step.id
  if (next.quarters === 0 && !next.mirror) changes.push({ kind: 'remove', id: present.id ?? '' })
  else changes.push({ kind: 'put', step: { ...present, params: next }, before: first })
  const size = bench.head.value?.turned ?? [1, 1]
  if (crop.value) changes.push({ kind: 'put', step: { ...crop.value, params: { ...turnedRect(crop.value.params as unknown as Rect & { ratio: string }, size, way) } } })
  const straighten = bench.stepOf('straighten')
  if (straighten && mirrors) changes.push({ kind: 'put', step: { ...straighten, params: { angle: -Number(straighten.params?.angle ?? 0) } } })
  await bench.change(mirrors ? 'Mirror' : 'Turn', changes)
}
</script>

<template>
  <div class="deck">
    <div class="side">
      <div class="row">
        <button class="plain" type="button" :aria-pressed="bench.tool.value === 'crop'" @click="bench.tool.value = 'crop'">Crop</button>
        <button class="plain" type="button" title="Draw along something that should be level or upright (key L)" :aria-pressed="bench.tool.value === 'line'" @click="bench.tool.value = 'line'">Line</button>
        <button class="plain" type="button" title="Square up something flat by its four corners" :aria-pressed="bench.tool.value === 'corners'" @click="bench.tool.value = 'corners'">Corners</button>
      </div>
      <div class="row">
        <button class="plain" type="button" title="Quarter turn left" aria-label="↶ 90°, quarter turn left" @click="turn('left')">↶ 90°</button>
        <button class="plain" type="button" title="Quarter turn right" aria-label="90° ↷, quarter turn right" @click="turn('right')">90° ↷</button>
        <button class="plain" type="button" title="Left becomes right" @click="turn('mirror')">Mirror ↔</button>
        <button class="plain" type="button" title="Top becomes bottom" aria-label="↕ mirror top and bottom" @click="turn('flip')">↕</button>
      </div>
      <div v-if="bench.tool.value === 'corners'" class="row"><button class="plain" type="button" @click="bench.squareUp()">Square up now</button></div>
      <label v-else class="row label"><span>guides</span>
        <select v-model="bench.guide.value" class="plain"><option v-for="name in GUIDES" :key="name" :value="name">{{ name }}</option></select>
      </label>
    </div>
    <div class="main">
      <div class="ratios" role="group" aria-label="Ratio">
        <button v-for="name in ratios" :key="name" class="ratio" type="button" :aria-pressed="ratio === name" @click="choose(name)">
          <span class="outline" :class="{ free: name === 'free' }" :style="outline(name)"></span>
          <span class="number">{{ name }}</span>
        </button>
      </div>
      <Ruler
        name="straighten" :value="angle" :low="-10" :high="10" :step="0.05" :digits="2" unit="°" signed :proposal="proposed"
        :before="Number(bench.before('straighten')?.params?.angle ?? 0)" :ends="['left', 'right']"
        @drag="dragAngle" @settle="settleAngle"
      />
      <div class="sizes">
        <form class="exact" @submit.prevent="exact">
          <span>crop</span>
          <input class="number" type="number" min="16" :value="typed.width ?? size[0]" aria-label="Crop width in pixels" @input="typed.width = Number(($event.target as HTMLInputElement).value)" @change="exact" />
          <span>×</span>
          <input class="number" type="number" min="16" :value="typed.height ?? size[1]" aria-label="Crop height in pixels" @input="typed.height = Number(($event.target as HTMLInputElement).value)" @change="exact" />
          <span>px</span>
        </form>
        <label class="exact"><span>output, long side</span><input class="number" type="number" min="0" placeholder="own" :value="longSide || ''" aria-label="Output long side in pixels" @change="output" /><span>px</span></label>
        <p class="prints"><span class="soft">prints:</span> <span class="number" :title="prints.join(', ')">{{ prints.length ? prints.slice(0, 4).join(' · ') : 'no usual size without cropping again' }}</span></p>
      </div>
    </div>
  </div>
</template>

<style scoped>
.deck { display: grid; grid-template-columns: 262px minmax(0, 1fr); height: 100%; }
.side { display: grid; gap: 8px; align-content: start; padding: 12px 14px; border-right: 1px solid var(--hairline); }
.row { display: flex; gap: 6px; align-items: center; }
.row .plain { flex: 1; padding: 0 4px; white-space: nowrap; }
.label span { width: 56px; }
.main { padding: 7px 20px 6px; display: grid; gap: 6px; align-content: start; }
.ratios { display: flex; gap: 4px; }
.ratio { display: grid; grid-template-rows: 22px auto; justify-items: center; align-items: center; gap: 2px; width: 58px; padding: 3px 0; border: 1px solid transparent; border-radius: 3px; background: none; cursor: pointer; }
.ratio:hover { background: var(--paper); }
.ratio[aria-pressed='true'] { background: var(--sheet); border-color: var(--fern); }
.outline { border: 1.5px solid var(--ink); background: var(--paper); }
.outline.free { border-style: dashed; }
.sizes { display: flex; gap: 26px; align-items: center; min-width: 0; }
.exact { display: flex; gap: 6px; align-items: center; white-space: nowrap; }
input { width: 70px; height: 26px; border: 1px solid var(--rule); border-radius: 3px; padding: 0 6px; background: var(--sheet); }
.prints { overflow: hidden; text-overflow: ellipsis; white-space: nowrap; }
</style>
