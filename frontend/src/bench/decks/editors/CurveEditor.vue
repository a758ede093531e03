<script setup lang="ts">
import Button from 'primevue/button'
import SelectButton from 'primevue/selectbutton'
import { computed, ref, shallowRef, useTemplateRef } from 'vue'

import { clamp } from '../../../parts/scale'
import type { Point } from '../../picture/geometry'
import type { EditorTrait } from '../../rooms/useDecks'
import { theBench } from '../../useBench'

const props = defineProps<{ op: string; editor: EditorTrait }>()
const WIDTH = 320
const HEIGHT = 108
/** Nearer than this two points could not be told apart by hand. */
const APART = 0.02

const { ledger, frames } = theBench()
const svg = useTemplateRef<SVGSVGElement>('svg')
const channel = ref(props.editor.items[0] ?? '')
/** Under the hand, or on the way to the server: what the next gesture starts from. */
const moved = shallowRef<Point[] | null>(null)
const held = ref<number | null>(null)
const chosen = ref<number | null>(null)

const step = computed(() => ledger.stepOf(props.op))
const saved = computed<Point[]>(() => {
  const own = (step.value?.params?.[channel.value] as Point[] | undefined) ?? []
  return own.length > 1 ? own : [[0, 0], [1, 1]]
})
const points = computed(() => moved.value ?? saved.value)
const full = computed(() => points.value.length >= (props.editor.most || Infinity))
/** The curve as the server computes it, evenly spaced; straight before the first frame with it has come. */
const samples = computed(() => frames.head?.drawn[step.value?.id ?? ledger.draft?.id ?? '']?.[channel.value] ?? [0, 1])
const line = computed(() => {
  const last = samples.value.length - 1
  return samples.value.map((y, k) => `${k ? 'L' : 'M'}${((k / last) * WIDTH).toFixed(1)} ${((1 - y) * HEIGHT).toFixed(1)}`).join('')
})
const says = computed(() => {
  const point = chosen.value === null ? undefined : points.value[chosen.value]
  return point ? `${Math.round(255 * point[0])} → ${Math.round(255 * point[1])}` : `${points.value.length} points`
})

/** Where the curve runs at a tone, between two samples. */
function through(x: number): number {
  const place = clamp(x, 0, 1) * (samples.value.length - 1)
  const before = Math.floor(place)
  const [low, high] = [samples.value[before] ?? x, samples.value[before + 1] ?? samples.value[before] ?? x]
  return low + (place - before) * (high - low)
}
function stepWith(to: Point[]) {
  const straight = to.length === 2 && to.every(([x, y]) => x === y)
  return ledger.stepFor(props.op, { [channel.value]: straight ? [] : to })
}
function at(event: PointerEvent): Point {
  const box = svg.value?.getBoundingClientRect()
  if (!box) return [0, 0]
  return [clamp((event.clientX - box.left) / box.width, 0, 1), clamp(1 - (event.clientY - box.top) / box.height, 0, 1)]
}
/** A point stays between its neighbours. */
function placed(index: number, [x, y]: Point): Point[] {
  const next = points.value.map((point) => [...point] as Point)
  const low = (next[index - 1]?.[0] ?? -APART) + APART
  const high = (next[index + 1]?.[0] ?? 1 + APART) - APART
  next[index] = [round(clamp(x, low, high)), round(clamp(y, 0, 1))]
  return next
}
function round(value: number) {
  return Math.round(value * 1000) / 1000
}
function withPoint(index: number, x: number): Point[] {
  const added = points.value.slice()
  added.splice(index, 0, [round(x), round(through(x))])
  return added
}

function down(event: PointerEvent) {
  if (event.button !== 0) return
  svg.value?.setPointerCapture(event.pointerId)
  const [x, y] = at(event)
  const box = svg.value?.getBoundingClientRect() ?? { width: WIDTH, height: HEIGHT }
  let index = points.value.findIndex(([px, py]) => Math.hypot((px - x) * box.width, (py - y) * box.height) < 12)
  if (index < 0) {
    // a press beside the points adds one on the curve: it anchors the curve there until it is moved
    index = points.value.findIndex((point) => point[0] > x)
    const near = [points.value[index - 1], points.value[index]].some((point) => point && Math.abs(point[0] - x) < APART)
    if (index < 1 || full.value || near) return
    moved.value = withPoint(index, x)
  }
  held.value = index
  chosen.value = index
}
function move(event: PointerEvent) {
  if (held.value === null) return
  moved.value = placed(held.value, at(event))
  ledger.drag(stepWith(moved.value))
}
function up() {
  if (held.value !== null && moved.value) void save(moved.value, 'Curve')
  held.value = null
}
async function save(to: Point[], summary: string) {
  moved.value = to
  await ledger.putStep(summary, stepWith(to))
  if (moved.value === to) moved.value = null
}
function remove(index: number) {
  if (index === 0 || index === points.value.length - 1) return
  chosen.value = null
  void save(points.value.filter((_, k) => k !== index), 'Remove a point of the curve')
}
function key(event: KeyboardEvent, index: number) {
  const point = points.value[index]
  if (!point) return
  const by = event.shiftKey ? 0.05 : 1 / 255
  const ways: Record<string, Point> = { ArrowLeft: [-by, 0], ArrowRight: [by, 0], ArrowUp: [0, by], ArrowDown: [0, -by] }
  const way = ways[event.key]
  if (event.key === 'Delete' || event.key === 'Backspace') remove(index)
  else if (way) void save(placed(index, [point[0] + way[0], point[1] + way[1]]), 'Curve')
  else return
  event.preventDefault()
}
/** From the keyboard: an anchor in the middle of the widest gap. */
function addPoint() {
  const gaps = points.value.slice(1).map((point, k) => point[0] - (points.value[k]?.[0] ?? 0))
  const index = gaps.indexOf(Math.max(...gaps))
  const x = ((points.value[index]?.[0] ?? 0) + (points.value[index + 1]?.[0] ?? 1)) / 2
  chosen.value = index + 1
  void save(withPoint(index + 1, x), 'Anchor the curve')
}
function reset() {
  chosen.value = null
  void save([[0, 0], [1, 1]], 'Straighten the curve')
}
function choose(name: string) {
  channel.value = name
  chosen.value = null
}
</script>

<template>
  <div class="curve">
    <svg
      ref="svg" class="field" :viewBox="`0 0 ${WIDTH} ${HEIGHT}`" preserveAspectRatio="none" role="group"
      aria-label="Curve: from left dark to light, upward lighter"
      @pointerdown="down" @pointermove="move" @pointerup="up" @pointercancel="up"
    >
      <g class="grid">
        <path v-for="k in 3" :key="k" :d="`M${(k * WIDTH) / 4} 0V${HEIGHT}M0 ${(k * HEIGHT) / 4}H${WIDTH}`" />
        <path :d="`M0 ${HEIGHT}L${WIDTH} 0`" />
      </g>
      <path class="line" :class="channel" :d="line" />
      <g
        v-for="(point, index) in points" :key="index" class="point" :class="{ chosen: chosen === index }" tabindex="0" role="slider"
        :aria-label="`Point ${index + 1}`" :aria-valuenow="Math.round(255 * point[1])" aria-valuemin="0" aria-valuemax="255"
        :aria-valuetext="`${Math.round(255 * point[0])} becomes ${Math.round(255 * point[1])}`"
        @focus="chosen = index" @keydown="key($event, index)" @dblclick="remove(index)"
      >
        <ellipse class="hit" :cx="point[0] * WIDTH" :cy="(1 - point[1]) * HEIGHT" rx="12" ry="17" />
        <ellipse :cx="point[0] * WIDTH" :cy="(1 - point[1]) * HEIGHT" rx="4.5" ry="4.5" />
      </g>
    </svg>
    <div class="beside">
      <div class="row">
        <SelectButton :model-value="channel" :options="editor.items" :allow-empty="false" aria-label="Channel" @update:model-value="choose" />
        <Button severity="secondary" label="Anchor" :disabled="full" @click="addPoint" />
        <Button severity="secondary" label="Straight" :disabled="points.length < 3 && saved.every(([x, y]) => x === y)" @click="reset" />
        <span class="number">{{ says }}</span>
      </div>
      <p class="small soft">Press on the curve to anchor it there; drag a point; double-click, or Delete, removes it.</p>
    </div>
  </div>
</template>

<style scoped>
.curve { grid-column: 1 / -1; display: grid; grid-template-columns: minmax(300px, 460px) minmax(0, 1fr); gap: 18px; padding-top: 2px; }
.field {
  width: 100%; height: var(--curve-height, 106px); background: var(--paper); border: 1px solid var(--hairline); border-radius: 3px; touch-action: none;
  cursor: crosshair; overflow: visible;
}
.grid path { stroke: var(--hairline); stroke-width: 0.7; fill: none; vector-effect: non-scaling-stroke; }
.line { stroke: var(--ink); stroke-width: 1.8; fill: none; vector-effect: non-scaling-stroke; }
.line.red { stroke: #a93b22; }
.line.green { stroke: #2e6b45; }
.line.blue { stroke: #2c5fa8; }
.point ellipse { fill: var(--sheet); stroke: var(--ink); stroke-width: 1.4; cursor: move; }
.point ellipse.hit { fill: transparent; stroke: none; }
.point.chosen ellipse:not(.hit) { fill: var(--fern); }
.point:focus-visible { outline: none; }
.point:focus-visible ellipse:not(.hit) { stroke: var(--fern); stroke-width: 3; }
.beside { display: grid; gap: 7px; align-content: start; }
.row { display: flex; gap: 8px; align-items: center; flex-wrap: wrap; }
</style>
