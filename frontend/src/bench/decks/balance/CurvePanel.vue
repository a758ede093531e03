<script setup lang="ts">
import { computed, ref, useTemplateRef } from 'vue'

import { clamp } from '../../../parts/scale'
import type { Point } from '../../geometry'
import { through } from '../../pchip'
import { theBench } from '../../useBench'

type Channel = 'all' | 'red' | 'green' | 'blue'
const channels: Channel[] = ['all', 'red', 'green', 'blue']
const WIDTH = 320
const HEIGHT = 128
/** Nearer than this two points could not be told apart, and the server refuses them. */
const APART = 0.02

const bench = theBench()
const svg = useTemplateRef<SVGSVGElement>('svg')
const channel = ref<Channel>('all')
const moved = ref<Point[] | null>(null)
const held = ref<number | null>(null)
const chosen = ref<number | null>(null)

const saved = computed<Point[]>(() => {
  const own = (bench.stepOf('curve')?.params?.[channel.value] as Point[] | undefined) ?? []
  return own.length > 1 ? own : [[0, 0], [1, 1]]
})
const points = computed(() => moved.value ?? saved.value)
const line = computed(() => Array.from({ length: 65 }, (_, k) => `${k ? 'L' : 'M'}${((k / 64) * WIDTH).toFixed(1)} ${((1 - through(points.value, k / 64)) * HEIGHT).toFixed(1)}`).join(''))
const says = computed(() => {
  const point = chosen.value === null ? undefined : points.value[chosen.value]
  return point ? `${Math.round(255 * point[0])} → ${Math.round(255 * point[1])}` : `${points.value.length} points`
})

function step(to: Point[]) {
  const straight = to.length === 2 && to.every(([x, y]) => x === y)
  return bench.stepFor('curve', { [channel.value]: straight ? [] : to })
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

function down(event: PointerEvent) {
  if (event.button !== 0) return
  svg.value?.setPointerCapture(event.pointerId)
  const [x, y] = at(event)
  const box = svg.value?.getBoundingClientRect() ?? { width: WIDTH, height: HEIGHT }
  let index = points.value.findIndex(([px, py]) => Math.hypot((px - x) * box.width, (py - y) * box.height) < 11)
  if (index < 0) {
    // a press beside the points adds one on the curve: it anchors the curve there until it is moved
    index = points.value.findIndex((point) => point[0] > x)
    const neighbours = [points.value[index - 1], points.value[index]]
    if (index < 1 || points.value.length >= 16 || neighbours.some((point) => point && Math.abs(point[0] - x) < APART)) return
    const added = points.value.slice()
    added.splice(index, 0, [round(x), round(through(points.value, x))])
    moved.value = added
  }
  held.value = index
  chosen.value = index
}
function move(event: PointerEvent) {
  if (held.value === null) return
  moved.value = placed(held.value, at(event))
  bench.dragStep(step(moved.value))
}
function up() {
  if (held.value !== null && moved.value) void save(moved.value, 'Curve')
  held.value = null
}
async function save(to: Point[], summary: string) {
  await bench.putStep(summary, step(to))
  moved.value = null
}
function remove(index: number) {
  if (index === 0 || index === points.value.length - 1) return
  chosen.value = null
  void save(points.value.filter((_, k) => k !== index), 'Remove a point of the curve')
}
/** An anchor at the tone under the cursor of the picture, on the curve as it is. */
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
  event.stopPropagation()
}
/** From the keyboard: an anchor in the middle of the widest gap. */
function addPoint() {
  const gaps = points.value.slice(1).map((point, k) => point[0] - (points.value[k]?.[0] ?? 0))
  const index = gaps.indexOf(Math.max(...gaps))
  const x = round(((points.value[index]?.[0] ?? 0) + (points.value[index + 1]?.[0] ?? 1)) / 2)
  const added = points.value.slice()
  added.splice(index + 1, 0, [x, round(through(points.value, x))])
  chosen.value = index + 1
  void save(added, 'Anchor the curve')
}
function reset() {
  chosen.value = null
  void save([[0, 0], [1, 1]], 'Straighten the curve')
}
function choose(name: Channel) {
  channel.value = name
  chosen.value = null
}
</script>

<template>
  <div class="curve">
    <svg ref="svg" class="field" :viewBox="`0 0 ${WIDTH} ${HEIGHT}`" preserveAspectRatio="none" role="group" aria-label="Curve: from left dark to light, upward lighter" @pointerdown="down" @pointermove="move" @pointerup="up" @pointercancel="up">
      <path class="grid" :d="`M${WIDTH / 4} 0V${HEIGHT}M${WIDTH / 2} 0V${HEIGHT}M${(3 * WIDTH) / 4} 0V${HEIGHT}M0 ${HEIGHT / 4}H${WIDTH}M0 ${HEIGHT / 2}H${WIDTH}M0 ${(3 * HEIGHT) / 4}H${WIDTH}M0 ${HEIGHT}L${WIDTH} 0`" />
      <path class="line" :class="channel" :d="line" />
      <g
        v-for="(point, index) in points" :key="index" class="point" :class="{ chosen: chosen === index }" tabindex="0" role="slider"
        :aria-label="`Point ${index + 1}`" :aria-valuenow="Math.round(255 * point[1])" aria-valuemin="0" aria-valuemax="255" :aria-valuetext="`${Math.round(255 * point[0])} becomes ${Math.round(255 * point[1])}`"
        @focus="chosen = index" @keydown="key($event, index)" @dblclick="remove(index)"
      >
        <ellipse :cx="point[0] * WIDTH" :cy="(1 - point[1]) * HEIGHT" rx="4.5" ry="4.5" />
      </g>
    </svg>
    <div class="beside">
      <div class="row" role="group" aria-label="Channel">
        <button v-for="name in channels" :key="name" class="plain" type="button" :aria-pressed="channel === name" @click="choose(name)">{{ name }}</button>
      </div>
      <p class="number">{{ says }}</p>
      <div class="row">
        <button class="plain" type="button" :disabled="points.length > 15" @click="addPoint">Anchor</button>
        <button class="plain" type="button" :disabled="points.length < 3 && saved.every(([x, y]) => x === y)" @click="reset">Straight</button>
      </div>
      <p class="small soft">Press on the curve to anchor it there; drag a point; double-click, or Delete, removes it.</p>
    </div>
  </div>
</template>

<style scoped>
.curve { display: grid; grid-template-columns: minmax(320px, 460px) 250px; gap: 18px; padding: 12px 20px; height: 100%; }
.field { width: 100%; height: 130px; background: var(--paper); border: 1px solid var(--hairline); border-radius: 3px; touch-action: none; cursor: crosshair; overflow: visible; }
.grid { stroke: var(--hairline); stroke-width: 0.7; fill: none; vector-effect: non-scaling-stroke; }
.line { stroke: var(--ink); stroke-width: 1.8; fill: none; vector-effect: non-scaling-stroke; }
.line.red { stroke: #a93b22; }
.line.green { stroke: #2e6b45; }
.line.blue { stroke: #2c5fa8; }
.point ellipse { fill: var(--sheet); stroke: var(--ink); stroke-width: 1.4; cursor: move; }
.point.chosen ellipse { fill: var(--fern); }
.point:focus-visible { outline: none; }
.point:focus-visible ellipse { stroke: var(--fern); stroke-width: 3; }
.beside { display: grid; gap: 7px; align-content: start; }
.row { display: flex; gap: 5px; }
</style>
