<script setup lang="ts">
import { computed, ref } from 'vue'

import type { Schemas, Step } from '../../api/client'
import { clamp } from '../../parts/scale'
import type { Point } from '../geometry'
import { theBench } from '../useBench'
import { newId } from '../useLedger'

type Stroke = Schemas['Stroke']

const props = defineProps<{ cursor: { x: number; y: number } | null }>()
const bench = theBench()
const painting = ref<[number, number, number][] | null>(null)
const moving = ref<{ step: Step; from: Point; source: Point } | null>(null)

const repairs = computed(() =>
  bench.steps.value.filter((view) => view.station === 'clean').map((view) => {
    const draft = bench.draft.value
    return shapeOf(draft && draft.id === view.step.id ? draft : view.step)
  }),
)
const active = computed(() => repairs.value.find((repair) => repair.id === bench.selected.value))
/** Pins of the other repairs, only near the cursor: they are for taking one up, not for looking at. */
const others = computed(() => {
  const at = props.cursor
  if (!at) return []
  return repairs.value.filter((repair) => {
    const [x, y] = repair.strokes[0]?.first ?? [0, 0]
    return repair.id !== bench.selected.value && Math.hypot((x ?? 0) - at.x, (y ?? 0) - at.y) < 110
  })
})

function strokesOf(step: Step): Stroke[] {
  return step.mask?.kind === 'strokes' ? step.mask.strokes : []
}
function shapeOf(step: Step) {
  const scale = bench.sourceScale.value
  const strokes = strokesOf(step).map((stroke) => {
    const points = stroke.points.map(([x, y]) => bench.stageOfSource([x, y]))
    return { width: stroke.size * scale, path: pathOf(points), first: points[0] ?? [0, 0], single: points.length === 1 }
  })
  const source = step.params?.source as { dx: number; dy: number } | undefined
  const first = strokesOf(step)[0]?.points[0]
  let shift: Point | null = null
  if (source && first) {
    const [x0, y0] = bench.stageOfSource([first[0], first[1]])
    const [x1, y1] = bench.stageOfSource([first[0] + source.dx, first[1] + source.dy])
    shift = [x1 - x0, y1 - y0]
  }
  return { id: step.id ?? '', step, strokes, shift, off: step.enabled === false }
}
/** A path through stage points; a single point becomes a line of no length, which a round cap makes a disc. */
function pathOf(points: Point[]): string {
  if (points.length === 1) return `M${points[0]?.join(' ')}h0.01`
  return points.map(([x, y], index) => `${index ? 'L' : 'M'}${x.toFixed(1)} ${y.toFixed(1)}`).join('')
}
const tether = computed(() => {
  const repair = active.value
  const from = repair?.strokes[0]?.first
  if (!repair?.shift || !from) return ''
  const [dx, dy] = repair.shift
  return `M${from[0]} ${from[1]}q${dx / 2 + dy * 0.2} ${dy / 2 - dx * 0.2} ${dx} ${dy}`
})

// ------------------------------------------------------------------------------------------------ painting

function place(event: PointerEvent): [number, number, number] {
  const box = (event.currentTarget as SVGElement).getBoundingClientRect()
  const [x, y] = bench.sourceAt(event.clientX - box.left, event.clientY - box.top)
  const pressure = event.pointerType === 'pen' ? clamp(event.pressure, 0.05, 1) : 1
  return [round(x), round(y), Math.round(pressure * 100) / 100]
}
function round(value: number): number {
  return Math.round(value * 10) / 10
}
function start(event: PointerEvent) {
  if (event.button !== 0) return
  ;(event.currentTarget as SVGElement).setPointerCapture(event.pointerId)
  bench.selected.value = null
  painting.value = [place(event)]
}
function move(event: PointerEvent) {
  if (!painting.value || bench.tool.value === 'dab') return
  const at = place(event)
  const last = painting.value[painting.value.length - 1]
  const gap = Math.max(1, bench.brush.value.size / 12)
  if (last && Math.hypot(at[0] - last[0], at[1] - last[1]) >= gap) painting.value = [...painting.value, at]
}
async function end() {
  const points = painting.value
  if (!points) return
  const method = bench.tool.value === 'heal' ? 'heal' : 'dab'
  const { size, softness, strength } = bench.brush.value
  const stroke = { points, size: round(size), hardness: round(1 - softness), opacity: 1 }
  const step: Step = { id: newId(), op: method, params: {}, mask: { kind: 'strokes', strokes: [stroke] }, enabled: true, strength }
  const saved = await bench.putStep(method === 'dab' ? 'Dab' : 'Heal', step)
  painting.value = null
  // a heal is taken up, so that its source can be dragged; after a dab one looks at the result
  if (saved && method === 'heal') bench.selected.value = step.id ?? null
}

// ------------------------------------------------------------------------------------------- moving a source

function takeSource(event: PointerEvent) {
  const repair = active.value
  const source = repair?.step.params?.source as { dx: number; dy: number } | undefined
  if (event.button !== 0 || !repair || !source) return
  ;(event.currentTarget as SVGElement).setPointerCapture(event.pointerId)
  moving.value = { step: repair.step, from: [event.clientX, event.clientY], source: [source.dx, source.dy] }
}
function moveSource(event: PointerEvent) {
  const now = moving.value
  if (!now) return
  const [x0, y0] = bench.sourceAt(0, 0)
  const [x1, y1] = bench.sourceAt(event.clientX - now.from[0], event.clientY - now.from[1])
  const source = { dx: Math.round(now.source[0] + x1 - x0), dy: Math.round(now.source[1] + y1 - y0) }
  bench.dragStep({ ...now.step, params: { ...now.step.params, source } })
}
async function dropSource() {
  const moved = bench.draft.value
  moving.value = null
  if (moved) await bench.putStep('Move the source', moved)
}

const live = computed(() => (painting.value ? pathOf(painting.value.map(([x, y]) => bench.stageOfSource([x, y]))) : ''))
const brushSize = computed(() => bench.brush.value.size * bench.sourceScale.value)
</script>

<template>
  <g>
    <rect class="ground" width="100%" height="100%" @pointerdown="start" @pointermove="move" @pointerup="end" @pointercancel="painting = null" />
    <path v-if="live" class="live" :d="live" :stroke-width="brushSize" />
    <g v-for="repair in others" :key="repair.id" class="pin" role="button" tabindex="0" :aria-label="`Take up ${repair.step.op}`" @pointerdown.stop="bench.selected.value = repair.id" @keydown.enter="bench.selected.value = repair.id">
      <circle class="pin-under" :class="{ off: repair.off }" :cx="repair.strokes[0]?.first[0]" :cy="repair.strokes[0]?.first[1]" r="5" />
    </g>
    <pattern id="dots" width="6" height="6" patternUnits="userSpaceOnUse">
      <rect width="6" height="6" fill="rgb(0 0 0 / 0.55)" />
      <path d="M0 0h3v3h-3zM3 3h3v3h-3z" fill="#fff" />
    </pattern>
    <g v-if="active">
      <mask :id="`rim-${active.id}`" maskUnits="userSpaceOnUse" x="-9999" y="-9999" width="29999" height="29999">
        <path v-for="(stroke, index) in active.strokes" :key="index" :d="stroke.path" class="solid" stroke="#fff" :stroke-width="stroke.width + 4" />
        <path v-for="(stroke, index) in active.strokes" :key="`in${index}`" :d="stroke.path" class="solid" stroke="#000" :stroke-width="Math.max(0, stroke.width)" />
      </mask>
      <g pointer-events="none">
        <g v-for="(stroke, index) in active.strokes" :key="index" :mask="`url(#rim-${active.id})`">
          <path :d="stroke.path" class="solid" stroke="rgb(0 0 0 / 0.7)" :stroke-width="stroke.width + 4" />
          <path :d="stroke.path" class="solid" stroke="#fff" :stroke-width="stroke.width + 2" />
        </g>
        <path v-for="pass in ['under', 'upper']" :key="pass" class="tether" :class="pass" :d="tether" />
      </g>
      <g v-if="active.shift" :transform="`translate(${active.shift[0]} ${active.shift[1]})`">
        <g pointer-events="none">
          <template v-for="(stroke, index) in active.strokes" :key="index">
            <circle v-if="stroke.single" class="dotted" :cx="stroke.first[0]" :cy="stroke.first[1]" :r="stroke.width / 2" />
            <path v-else :mask="`url(#rim-${active.id})`" :d="stroke.path" class="solid" stroke="url(#dots)" :stroke-width="stroke.width + 4" />
          </template>
        </g>
        <path v-for="(stroke, index) in active.strokes" :key="`hit${index}`" class="solid source" :d="stroke.path" :stroke-width="Math.max(stroke.width, 22)" @pointerdown.stop="takeSource" @pointermove="moveSource" @pointerup="dropSource"><title>Drag to another source</title></path>
        <circle class="pin-under source-pin" :cx="active.strokes[0]?.first[0]" :cy="active.strokes[0]?.first[1]" r="4" pointer-events="none" />
      </g>
    </g>
    <g v-if="props.cursor && !moving" pointer-events="none">
      <circle class="ring-under" :cx="props.cursor.x" :cy="props.cursor.y" :r="Math.max(2, brushSize / 2)" />
      <circle class="ring" :cx="props.cursor.x" :cy="props.cursor.y" :r="Math.max(2, brushSize / 2)" />
      <text :x="props.cursor.x + Math.min(brushSize / 2, 120) + 8" :y="props.cursor.y - 8">{{ bench.tool.value }} {{ Math.round(bench.brush.value.size) }}</text>
    </g>
  </g>
</template>

<style scoped>
.ground { fill: transparent; cursor: none; }
.solid { fill: none; stroke-linecap: round; stroke-linejoin: round; }
.live { fill: none; stroke: rgb(255 255 255 / 0.45); stroke-linecap: round; stroke-linejoin: round; pointer-events: none; }
.source { stroke: transparent; pointer-events: stroke; cursor: move; }
.dotted { fill: none; stroke: #fff; stroke-width: 1.6; stroke-dasharray: 2.5 3.5; filter: drop-shadow(0 0 1px #000); }
.tether { fill: none; }
.tether.under { stroke: rgb(0 0 0 / 0.6); stroke-width: 3.2; }
.tether.upper { stroke: #fff; stroke-width: 1.3; }
.pin { cursor: pointer; }
.pin-under { fill: #fff; stroke: #1d211f; stroke-width: 1.5; }
.pin-under.off { fill: none; stroke: #fff; }
.source-pin { fill: none; stroke: #fff; }
.ring-under { fill: none; stroke: rgb(0 0 0 / 0.6); stroke-width: 3; }
.ring { fill: none; stroke: #fff; stroke-width: 1.2; }
text { font: 600 12px var(--mono); fill: #fff; paint-order: stroke; stroke: rgb(0 0 0 / 0.75); stroke-width: 3.4px; }
</style>
