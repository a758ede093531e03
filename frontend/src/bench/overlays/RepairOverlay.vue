<script setup lang="ts">
import { computed, onBeforeUnmount, onMounted, ref, watchEffect } from 'vue'

import type { Step } from '../../api/client'
import type { Point } from '../geometry'
import { movedBy, outlineOf, pathOf, shapeOf, type Shape } from '../clean/shapes'
import { round } from '../clean/useClean'
import { usePainting } from '../clean/usePainting'
import { theBench } from '../useBench'

const props = defineProps<{ cursor: { x: number; y: number } | null }>()
const bench = theBench()
const clean = bench.clean
const hand = usePainting(bench)

type Handle = 'source' | 'place' | number
const moving = ref<{ step: Step; handle: Handle; from: Point } | null>(null)

const shapes = computed(() =>
  bench.steps.value.filter((view) => view.station === 'clean').map((view) => {
    const draft = bench.draft.value
    return shapeOf(draft && draft.id === view.step.id ? draft : view.step, bench.stageOfSource, bench.sourceScale.value)
  }),
)
const active = computed(() => shapes.value.find((shape) => shape.id === bench.selected.value))
const near = computed(() => {
  const at = props.cursor
  if (!at) return []
  return shapes.value.filter((shape) => shape.id !== bench.selected.value && shape.parts.some(({ first: [x, y] }) => Math.hypot(x - at.x, y - at.y) < 110))
})
/** Shapes whose outline is drawn, beside the one that is taken up. */
const outlined = computed(() => {
  if (clean.outlines.value === 'always') return shapes.value.filter((shape) => shape.id !== bench.selected.value)
  if (clean.outlines.value === 'hover') return near.value.slice(0, 6)
  return near.value.filter((shape) => shape.step.op === 'fence')
})
const shown = computed(() => (clean.outlines.value === 'never' ? undefined : active.value))
const waiting = computed(() => shapes.value.filter((shape) => clean.busy.value[shape.id] !== undefined))
const tether = computed(() => {
  const from = shown.value?.parts[0]?.first
  if (!shown.value?.shift || !from) return ''
  const [dx, dy] = shown.value.shift
  return `M${from[0]} ${from[1]}q${dx / 2 + dy * 0.2} ${dy / 2 - dx * 0.2} ${dx} ${dy}`
})
/** A patch or a moved subject is dragged by its inside. */
const byInside = computed(() => !!active.value && (active.value.step.op === 'relocate' || active.value.step.op === 'patch'))

// ------------------------------------------------------------------------------------------------- handles

function take(handle: Handle, event: PointerEvent) {
  const step = active.value?.step
  if (event.button !== 0 || !step) return
  ;(event.currentTarget as SVGElement).setPointerCapture(event.pointerId)
  moving.value = { step, handle, from: [event.clientX, event.clientY] }
}
function drag(event: PointerEvent) {
  const now = moving.value
  if (!now) return
  const [x0, y0] = bench.sourceAt(0, 0)
  const [x1, y1] = bench.sourceAt(event.clientX - now.from[0], event.clientY - now.from[1])
  const moved = changed(now.step, now.handle, round(x1 - x0), round(y1 - y0))
  if (now.step.op === 'relocate') bench.draft.value = moved
  else bench.dragStep(moved)
}
function changed(step: Step, handle: Handle, dx: number, dy: number): Step {
  const params = (step.params ?? {}) as { source?: { dx: number; dy: number }; dx?: number; dy?: number }
  if (handle === 'source' && step.op === 'relocate') return { ...step, params: { ...params, dx: Math.round((params.dx ?? 0) + dx), dy: Math.round((params.dy ?? 0) + dy) } }
  if (handle === 'source') return { ...step, params: { ...params, source: { dx: Math.round((params.source?.dx ?? 0) + dx), dy: Math.round((params.source?.dy ?? 0) + dy) } } }
  if (handle === 'place') return movedBy(step, dx, dy)
  if (step.mask?.kind !== 'outline') return step
  return { ...step, mask: { ...step.mask, points: step.mask.points.map(([x, y], k): [number, number] => (k === handle ? [x + dx, y + dy] : [x, y])) } }
}
async function drop() {
  const moved = bench.draft.value
  const handle = moving.value?.handle
  moving.value = null
  if (moved) await bench.putStep(handle === 'source' ? (moved.op === 'relocate' ? 'Move the subject' : 'Move the source') : 'Change the place', moved)
}

// ------------------------------------------------------------------------------------------ what will land

const tip = computed(() => clean.brush.value.size * bench.sourceScale.value)
watchEffect(() => {
  bench.ghost.value = ghost()
})
function ghost() {
  const at = props.cursor
  const { turn, mirror } = clean.cloning.value
  const draft = bench.draft.value
  if (moving.value && draft?.op === 'relocate') {
    const shape = shapeOf(draft, bench.stageOfSource, bench.sourceScale.value)
    const moved = shape.shift ?? [0, 0]
    const path = outlineOf(shape.corners.map(([x, y]): Point => [x + moved[0], y + moved[1]]))
    return { path, width: null, shift: moved, about: [0, 0] as Point, turn: 0, mirror: 'none', alpha: 0.8 }
  }
  if (bench.tool.value !== 'clone' || !at || moving.value) return null
  const line = hand.live.value
  const begin = line[0] ?? [at.x, at.y]
  const start = bench.sourceAt(begin[0], begin[1])
  const offset = clean.cloneOffset(start)
  if (!offset) return null
  const [sx, sy] = bench.stageOfSource([start[0] + offset[0], start[1] + offset[1]])
  const path = line.length ? pathOf(line) : pathOf([[at.x, at.y]])
  return { path, width: Math.max(2, tip.value), shift: [begin[0] - sx, begin[1] - sy] as Point, about: begin, turn, mirror, alpha: line.length ? 1 : 0.85 }
}
onBeforeUnmount(() => (bench.ghost.value = null))

function keys(event: KeyboardEvent) {
  if ((event.target as HTMLElement).closest('input, textarea, button, [role="slider"]')) return
  if (event.key === 'Enter' && hand.clicks.value.length) void hand.finish()
  else if (event.key === 'Enter' && clean.gathered.value.length) void clean.run()
  else if (event.key === 'Enter' && clean.hint.value) void clean.takeHint()
  else if (event.key === 'Escape') hand.cancel()
  else return
  event.preventDefault()
}
onMounted(() => window.addEventListener('keydown', keys))
onBeforeUnmount(() => window.removeEventListener('keydown', keys))

function widthOf(part: Shape['parts'][number]): number {
  return part.width ?? 0
}
const spots = computed(() =>
  (clean.specks.spots.value ?? []).map((spot, index) => {
    const [x, y] = bench.stageOfSource([spot.x, spot.y])
    return { x, y, r: Math.max(7, spot.size * bench.sourceScale.value), state: spot.accepted, now: index === clean.specks.at.value }
  }),
)
</script>

<template>
  <g>
    <rect class="ground" width="100%" height="100%" @pointerdown="hand.start" @pointermove="hand.move" @pointerup="hand.end" @pointercancel="hand.cancel" @dblclick="hand.finish" @contextmenu.prevent />
    <template v-for="(stroke, index) in clean.gathered.value" :key="`g${index}`">
      <path class="live" :d="pathOf(stroke.points.map(([x, y]) => bench.stageOfSource([x, y])))" :stroke-width="stroke.size * bench.sourceScale.value" />
    </template>
    <path v-if="hand.live.value.length && hand.gesture.value !== 'outline' && hand.gesture.value !== 'line'" class="live" :d="pathOf(hand.live.value)" :stroke-width="tip" :class="{ faint: bench.tool.value === 'clone' }" />
    <template v-for="pass in ['under', 'upper']" :key="pass">
      <path v-if="hand.live.value.length && (hand.gesture.value === 'outline' || hand.gesture.value === 'line')" class="line" :class="pass" :d="pathOf(hand.live.value)" />
      <path v-if="hand.clicked.value.length" class="line" :class="pass" :d="hand.gesture.value === 'outline' ? outlineOf(hand.clicked.value) : pathOf(hand.clicked.value)" />
    </template>
    <circle v-for="(point, index) in hand.clicked.value.slice(0, -1)" :key="`c${index}`" class="pin-under" :cx="point[0]" :cy="point[1]" r="3.5" pointer-events="none" />

    <g v-for="shape in outlined" :key="`o${shape.id}`" pointer-events="none" class="thin">
      <template v-for="(part, index) in shape.parts" :key="index">
        <template v-if="part.single"><circle v-for="pass in ['under', 'upper']" :key="pass" class="line" :class="pass" :cx="part.first[0]" :cy="part.first[1]" :r="widthOf(part) / 2" /></template>
        <template v-else><path v-for="pass in ['under', 'upper']" :key="pass" class="line" :class="[pass, shape.step.op]" :d="part.path" /></template>
      </template>
    </g>
    <g v-for="shape in near" :key="shape.id" class="pin" role="button" tabindex="0" :aria-label="`Take up ${shape.step.op}`" @pointerdown.stop="bench.takeUpRepair(shape.id)" @keydown.enter.stop="bench.takeUpRepair(shape.id)">
      <circle class="pin-under" :class="{ off: shape.off }" :cx="shape.parts[0]?.first[0]" :cy="shape.parts[0]?.first[1]" r="5"><title>{{ shape.step.op }}: click to take it up</title></circle>
    </g>
    <pattern id="dots" width="6" height="6" patternUnits="userSpaceOnUse">
      <rect width="6" height="6" fill="rgb(0 0 0 / 0.55)" />
      <path d="M0 0h3v3h-3zM3 3h3v3h-3z" fill="#fff" />
    </pattern>
    <g v-if="shown">
      <mask :id="`rim-${shown.id}`" maskUnits="userSpaceOnUse" x="-9999" y="-9999" width="29999" height="29999">
        <path v-for="(part, index) in shown.parts" :key="index" :d="part.path" class="solid" stroke="#fff" :stroke-width="widthOf(part) + 4" />
        <path v-for="(part, index) in shown.parts.filter((one) => one.width !== null && one.width > 4)" :key="`in${index}`" :d="part.path" class="solid" stroke="#000" :stroke-width="widthOf(part)" />
      </mask>
      <g pointer-events="none">
        <g v-for="(part, index) in shown.parts" :key="index" :mask="`url(#rim-${shown.id})`">
          <path :d="part.path" class="solid" stroke="rgb(0 0 0 / 0.7)" :stroke-width="widthOf(part) + 4" />
          <path :d="part.path" class="solid" stroke="#fff" :stroke-width="widthOf(part) + 2" />
        </g>
        <path v-for="pass in ['under', 'upper']" :key="pass" class="line" :class="pass" :d="tether" />
      </g>
      <path v-if="byInside && !shown.shift" :d="shown.parts[0]?.path" class="inside" @pointerdown.stop="take('source', $event)" @pointermove="drag" @pointerup="drop"><title>Drag</title></path>
      <g v-if="shown.shift" :transform="`translate(${shown.shift[0]} ${shown.shift[1]})`">
        <g pointer-events="none">
          <template v-for="(part, index) in shown.parts" :key="index">
            <circle v-if="part.single" class="dotted" :cx="part.first[0]" :cy="part.first[1]" :r="widthOf(part) / 2" />
            <path v-else-if="part.width === null" class="dotted" :d="part.path" />
            <path v-else :mask="`url(#rim-${shown.id})`" :d="part.path" class="solid" stroke="url(#dots)" :stroke-width="widthOf(part) + 4" />
          </template>
        </g>
        <path v-for="(part, index) in shown.parts" :key="`hit${index}`" :class="part.width === null ? 'inside' : 'solid source'" :d="part.path" :stroke-width="Math.max(widthOf(part), 22)" @pointerdown.stop="take('source', $event)" @pointermove="drag" @pointerup="drop"><title>Drag to another place</title></path>
        <circle class="pin-under source-pin" :cx="shown.parts[0]?.first[0]" :cy="shown.parts[0]?.first[1]" r="4" pointer-events="none" />
      </g>
      <template v-if="shown.corners.length && shown.corners.length <= 60">
        <circle v-for="(corner, index) in shown.corners" :key="`h${index}`" class="handle" :cx="corner[0]" :cy="corner[1]" r="4" @pointerdown.stop="take(index, $event)" @pointermove="drag" @pointerup="drop"><title>Drag the outline's corner</title></circle>
      </template>
      <rect v-if="shown.step.mask" class="handle" :x="(shown.parts[0]?.first[0] ?? 0) - 5" :y="(shown.parts[0]?.first[1] ?? 0) - 5" width="10" height="10" @pointerdown.stop="take('place', $event)" @pointermove="drag" @pointerup="drop"><title>Drag the whole place</title></rect>
    </g>
    <g v-for="shape in waiting" :key="`w${shape.id}`" pointer-events="none">
      <text :x="(shape.parts[0]?.first[0] ?? 0) + 10" :y="(shape.parts[0]?.first[1] ?? 0) - 10">{{ shape.step.op }} {{ Math.round(100 * (clean.busy.value[shape.id] ?? 0)) }} %</text>
    </g>
    <g v-for="(spot, index) in spots" :key="`s${index}`" pointer-events="none" :class="['spot', { now: spot.now, yes: spot.state === true, no: spot.state === false }]">
      <circle class="line under" :cx="spot.x" :cy="spot.y" :r="spot.r" />
      <circle class="line upper" :cx="spot.x" :cy="spot.y" :r="spot.r" />
      <path v-if="spot.state === false" class="line upper" :d="`M${spot.x - spot.r} ${spot.y - spot.r}L${spot.x + spot.r} ${spot.y + spot.r}`" />
    </g>
    <g v-if="props.cursor && !moving && hand.gesture.value" pointer-events="none">
      <template v-if="hand.gesture.value === 'stroke' || hand.gesture.value === 'click'">
        <circle class="line under" :cx="props.cursor.x" :cy="props.cursor.y" :r="Math.max(2, tip / 2)" />
        <circle class="line upper" :cx="props.cursor.x" :cy="props.cursor.y" :r="Math.max(2, tip / 2)" />
      </template>
      <path v-else class="line upper" :d="`M${props.cursor.x - 7} ${props.cursor.y}h14M${props.cursor.x} ${props.cursor.y - 7}v14`" />
      <text :x="props.cursor.x + (hand.gesture.value === 'outline' || hand.gesture.value === 'line' ? 10 : Math.min(tip / 2, 120) + 8)" :y="props.cursor.y - 8">{{ bench.tool.value }}{{ hand.gesture.value === 'outline' || hand.gesture.value === 'line' ? '' : ` ${Math.round(clean.brush.value.size)}` }}{{ hand.setting.value ? ` · softness ${Math.round(100 * clean.brush.value.softness)} %` : '' }}</text>
    </g>
  </g>
</template>

<style scoped>
.ground { fill: transparent; cursor: none; }
.solid { fill: none; stroke-linecap: round; stroke-linejoin: round; }
.live { fill: none; stroke: rgb(255 255 255 / 0.45); stroke-linecap: round; stroke-linejoin: round; pointer-events: none; }
.live.faint { stroke: none; }
.source { stroke: transparent; pointer-events: stroke; cursor: move; }
.inside { fill: transparent; stroke: none; cursor: move; }
.dotted { fill: none; stroke: #fff; stroke-width: 1.6; stroke-dasharray: 2.5 3.5; filter: drop-shadow(0 0 1px #000); }
.line { fill: none; pointer-events: none; }
.line.under { stroke: rgb(0 0 0 / 0.6); stroke-width: 3.2; }
.line.upper { stroke: #fff; stroke-width: 1.3; }
.line.upper.fence { stroke-dasharray: 9 3 2 3; stroke-width: 1.8; }
.thin .upper { stroke: rgb(255 255 255 / 0.85); }
.pin { cursor: pointer; }
.pin-under { fill: #fff; stroke: #1d211f; stroke-width: 1.5; }
.pin-under.off { fill: none; stroke: #fff; }
.source-pin { fill: none; stroke: #fff; }
.handle { fill: #fff; stroke: #1d211f; stroke-width: 1.3; cursor: move; }
.spot.now .upper { stroke-width: 2.6; }
.spot.yes .upper { stroke: #96e0ae; }
.spot.no { opacity: 0.6; }
text { font: 600 12px var(--mono); fill: #fff; paint-order: stroke; stroke: rgb(0 0 0 / 0.75); stroke-width: 3.4px; }
</style>
