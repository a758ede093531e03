<script setup lang="ts">
import { computed, onBeforeUnmount, ref, watchEffect } from 'vue'

import type { Step } from '../../../api/client'
import { onStage, type Point } from '../geometry'
import { movedBy, outlineOf, pathOf, round, shapeOf, type Shape } from '../../clean/shapes'
import { useLanding } from '../../clean/useLanding'
import type { Ghost } from '../../rooms/useTools'
import { theBench } from '../../useBench'
import TipShape from './TipShape.vue'

const { ledger, tools, decks, frames, view, clean, planes, painting: hand } = theBench()
const cursor = computed(() => view.cursor)

type Handle = 'source' | 'place' | number
const moving = ref<{ step: Step; handle: Handle; from: Point } | null>(null)

function shaped(step: Step): Shape {
  const mask = step.mask && 'view' in step.mask ? step.mask : null
  const { toStage, toSource } = view.drawnIn(mask?.view)
  const first = mask?.kind === 'strokes' ? mask.strokes[0]?.points[0] : mask?.kind === 'outline' ? mask.points[0] : undefined
  const scale = first ? view.scaleIn(mask?.view, [first[0], first[1]]) : view.sourceScale
  const plane = mask?.kind === 'strokes' && mask.round_in === 'plane' && step.chart?.kind === 'plane' ? step.chart.step : null
  return shapeOf(step, { drawn: toStage, source: view.stageOfSource, toSource, scale, scene: planes.sceneIn(plane) })
}
const shapes = computed(() =>
  ledger.steps.filter((one) => one.station === 'clean').map(({ step }) => {
    const draft = ledger.draft
    return shaped(draft && draft.id === step.id ? draft : step)
  }),
)
const active = computed(() => shapes.value.find((shape) => shape.id === tools.selected))
const near = computed(() => {
  const at = cursor.value
  if (!at) return []
  const close = (shape: Shape) => shape.parts.some(({ first: [x, y] }) => Math.hypot(x - at.x, y - at.y) < 110)
  return shapes.value.filter((shape) => shape.id !== tools.selected && close(shape))
})
/** Shapes whose outline is drawn, beside the one that is taken up. */
const outlined = computed(() => {
  if (clean.outlines === 'always') return shapes.value.filter((shape) => shape.id !== tools.selected)
  if (clean.outlines === 'hover') return near.value.slice(0, 6)
  return near.value.filter((shape) => decks.of(shape.step.op)?.limits && !shape.step.mask)
})
const shown = computed(() => (clean.outlines === 'never' ? undefined : active.value))
/** Parts whose source is the same shape elsewhere; in a plane of the scene it is another. */
const shiftedParts = computed(() => shown.value?.parts.filter((part) => !part.area) ?? [])
const waiting = computed(() => shapes.value.filter((shape) => frames.busy[shape.id] !== undefined))
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
  moving.value = { step, handle, from: onStage(event) }
}
function drag(event: PointerEvent) {
  const now = moving.value
  if (!now) return
  const [dx, dy] = draggedBy(now, onStage(event))
  const moved = changed(now.step, now.handle, round(dx), round(dy))
  if (now.step.op === 'relocate') ledger.draft = moved
  else ledger.drag(moved)
}
/** How far a handle was dragged: its source in photo pixels, its place in those that it was drawn in. */
function draggedBy(now: { step: Step; handle: Handle; from: Point }, to: Point): Point {
  const mask = now.step.mask && 'view' in now.step.mask ? now.step.mask : null
  const { ofSource } = view.drawnIn(now.handle === 'source' ? null : mask?.view)
  const at = (point: Point) => ofSource(view.sourceAt(...point))
  const [[x0, y0], [x1, y1]] = [at(now.from), at(to)]
  const turn = view.around.sphere?.[0] ?? 0
  // over the seam the short way
  const dx = now.handle === 'source' && turn ? x1 - x0 - turn * Math.round((x1 - x0) / turn) : x1 - x0
  return [dx, y1 - y0]
}
function changed(step: Step, handle: Handle, dx: number, dy: number): Step {
  const params = (step.params ?? {}) as { source?: { dx: number; dy: number }; dx?: number; dy?: number }
  if (handle === 'source') {
    const from = step.op === 'relocate' ? params : params.source
    const to = { dx: Math.round((from?.dx ?? 0) + dx), dy: Math.round((from?.dy ?? 0) + dy) }
    return { ...step, params: step.op === 'relocate' ? { ...params, ...to } : { ...params, source: to } }
  }
  if (handle === 'place') return movedBy(step, dx, dy)
  if (step.mask?.kind !== 'outline') return step
  const points = step.mask.points.map(([x, y], k): [number, number] => (k === handle ? [x + dx, y + dy] : [x, y]))
  return { ...step, mask: { ...step.mask, points } }
}
async function drop() {
  const moved = ledger.draft
  const handle = moving.value?.handle
  moving.value = null
  if (!moved) return
  const source = moved.op === 'relocate' ? 'Move the subject' : 'Move the source'
  await ledger.putStep(handle === 'source' ? source : 'Change the place', moved)
}

// ------------------------------------------------------------------------------------------ what will land

const { tip, tipped, gathered, live, underHand, says, cloned } = useLanding()
watchEffect(() => {
  tools.ghost = ghost()
})
function ghost(): Ghost | null {
  const at = cursor.value
  const draft = ledger.draft
  if (moving.value && draft?.op === 'relocate') {
    const shape = shaped(draft)
    const [dx, dy] = shape.shift ?? [0, 0]
    const path = outlineOf(shape.corners.map(([x, y]): Point => [x + dx, y + dy]))
    return { parts: [{ path, map: [1, 0, 0, 1, dx, dy] }], alpha: 0.8 }
  }
  if (tools.tool !== 'clone' || !at || moving.value) return null
  return cloned(at)
}
onBeforeUnmount(() => (tools.ghost = null))

function widthOf(part: Shape['parts'][number]): number {
  return part.width ?? 0
}
const spots = computed(() =>
  (clean.specks.spots ?? []).map((spot, index) => {
    const [x, y] = view.stageOfSource([spot.x, spot.y])
    return { x, y, r: Math.max(7, spot.size * view.sourceScale), state: spot.accepted, now: index === clean.specks.at }
  }),
)
</script>

<template>
  <g>
    <rect
      class="ground" width="100%" height="100%" @pointerdown="hand.start" @pointermove="hand.move" @pointerup="hand.end" @pointercancel="hand.cancel"
      @dblclick="hand.finish" @contextmenu.prevent
    />
    <path v-for="(path, index) in gathered" :key="`g${index}`" class="live" :d="path" />
    <path v-if="live && tools.tool !== 'clone'" class="live" :d="live" />
    <template v-for="pass in ['under', 'upper']" :key="pass">
      <path v-if="hand.live.length && !tipped" class="line" :class="pass" :d="pathOf(hand.live)" />
      <path v-if="hand.clicked.length" class="line" :class="pass" :d="hand.gesture === 'outline' ? outlineOf(hand.clicked) : pathOf(hand.clicked)" />
    </template>
    <circle
      v-for="(point, index) in hand.clicked.slice(0, -1)" :key="`c${index}`" class="pin-under" :cx="point[0]" :cy="point[1]" r="3.5"
      pointer-events="none"
    />

    <g v-for="shape in outlined" :key="`o${shape.id}`" pointer-events="none" class="thin">
      <template v-for="(part, index) in shape.parts" :key="index">
        <template v-if="part.single && !part.area">
          <circle v-for="pass in ['under', 'upper']" :key="pass" class="line" :class="pass" :cx="part.first[0]" :cy="part.first[1]" :r="widthOf(part) / 2" />
        </template>
        <template v-else>
          <path v-for="pass in ['under', 'upper']" :key="pass" class="line" :class="[pass, shape.step.op]" :d="(part.single && part.area) || part.path" />
        </template>
      </template>
    </g>
    <g
      v-for="shape in near" :key="shape.id" class="pin" role="button" tabindex="0" :aria-label="`Take up ${decks.called(shape.step.op)}`"
      @pointerdown.stop="tools.takeUpRepair(shape.id)" @keydown.enter.stop="tools.takeUpRepair(shape.id)"
    >
      <circle
        class="pin-under" :class="{ off: shape.off }" :cx="shape.parts[0]?.first[0]" :cy="shape.parts[0]?.first[1]" r="5"
      >
        <title>{{ decks.called(shape.step.op) }}: click to take it up</title>
      </circle>
    </g>
    <pattern id="dots" width="6" height="6" patternUnits="userSpaceOnUse">
      <rect width="6" height="6" fill="rgb(0 0 0 / 0.55)" />
      <path d="M0 0h3v3h-3zM3 3h3v3h-3z" fill="#fff" />
    </pattern>
    <g v-if="shown">
      <mask :id="`rim-${shown.id}`" maskUnits="userSpaceOnUse" x="-9999" y="-9999" width="29999" height="29999">
        <TipShape v-for="(part, index) in shown.parts" :key="index" :part="part" :beyond="4" colour="#fff" />
        <TipShape
          v-for="(part, index) in shown.parts.filter((one) => one.width !== null && one.width > 4)" :key="`in${index}`" :part="part" colour="#000"
        />
      </mask>
      <g pointer-events="none">
        <g v-for="(part, index) in shown.parts" :key="index" :mask="`url(#rim-${shown.id})`">
          <TipShape :part="part" :beyond="4" colour="rgb(0 0 0 / 0.7)" />
          <TipShape :part="part" :beyond="2" colour="#fff" />
        </g>
        <path v-for="pass in ['under', 'upper']" :key="pass" class="line" :class="pass" :d="tether" />
      </g>
      <path
        v-if="byInside && !shown.shift" :d="shown.parts[0]?.path" class="inside"
        @pointerdown.stop="take('source', $event)" @pointermove="drag" @pointerup="drop"
      >
        <title>Drag</title>
      </path>
      <g v-for="(part, index) in shown.parts.filter((one) => one.source)" :key="`laid${index}`">
        <mask :id="`from-${shown.id}-${index}`" maskUnits="userSpaceOnUse" x="-9999" y="-9999" width="29999" height="29999">
          <TipShape :part="part" :beyond="4" colour="#fff" source /><TipShape :part="part" colour="#000" source />
        </mask>
        <g :mask="`url(#from-${shown.id}-${index})`" pointer-events="none"><TipShape :part="part" :beyond="4" colour="url(#dots)" source /></g>
        <path :d="part.source" class="inside" @pointerdown.stop="take('source', $event)" @pointermove="drag" @pointerup="drop">
          <title>Drag to another place</title>
        </path>
      </g>
      <g v-if="shown.shift" :transform="`translate(${shown.shift[0]} ${shown.shift[1]})`">
        <g pointer-events="none">
          <template v-for="(part, index) in shiftedParts" :key="index">
            <circle v-if="part.single" class="dotted" :cx="part.first[0]" :cy="part.first[1]" :r="widthOf(part) / 2" />
            <path v-else-if="part.width === null" class="dotted" :d="part.path" />
            <path v-else :mask="`url(#rim-${shown.id})`" :d="part.path" class="solid" stroke="url(#dots)" :stroke-width="widthOf(part) + 4" />
          </template>
        </g>
        <path
          v-for="(part, index) in shiftedParts" :key="`hit${index}`" :d="part.path"
          :class="part.width === null ? 'inside' : 'solid source'" :stroke-width="Math.max(widthOf(part), 24)"
          @pointerdown.stop="take('source', $event)" @pointermove="drag" @pointerup="drop"
        >
          <title>Drag to another place</title>
        </path>
        <circle class="pin-under source-pin" :cx="shown.parts[0]?.first[0]" :cy="shown.parts[0]?.first[1]" r="4" pointer-events="none" />
      </g>
      <template v-if="shown.corners.length && shown.corners.length <= 60">
        <g
          v-for="(corner, index) in shown.corners" :key="`h${index}`"
          @pointerdown.stop="take(index, $event)" @pointermove="drag" @pointerup="drop"
        >
          <title>Drag the outline's corner</title>
          <circle class="hit" :cx="corner[0]" :cy="corner[1]" r="12" />
          <circle class="handle" :cx="corner[0]" :cy="corner[1]" r="4" />
        </g>
      </template>
      <g v-if="shown.step.mask" :transform="`translate(${shown.parts[0]?.first[0] ?? 0} ${shown.parts[0]?.first[1] ?? 0})`">
        <g @pointerdown.stop="take('place', $event)" @pointermove="drag" @pointerup="drop">
          <title>Drag the whole place</title>
          <circle class="hit" r="12" />
          <rect class="handle" x="-5" y="-5" width="10" height="10" />
        </g>
      </g>
    </g>
    <g v-for="shape in waiting" :key="`w${shape.id}`" pointer-events="none">
      <text :x="(shape.parts[0]?.first[0] ?? 0) + 10" :y="(shape.parts[0]?.first[1] ?? 0) - 10">
        {{ decks.called(shape.step.op) }} {{ Math.round(100 * (frames.busy[shape.id] ?? 0)) }} %
      </text>
    </g>
    <g
      v-for="(spot, index) in spots" :key="`s${index}`" pointer-events="none"
      :class="['spot', { now: spot.now, yes: spot.state === true, no: spot.state === false }]"
    >
      <circle class="line under" :cx="spot.x" :cy="spot.y" :r="spot.r" />
      <circle class="line upper" :cx="spot.x" :cy="spot.y" :r="spot.r" />
      <path v-if="spot.state === false" class="line upper" :d="`M${spot.x - spot.r} ${spot.y - spot.r}L${spot.x + spot.r} ${spot.y + spot.r}`" />
    </g>
    <g v-if="cursor && !moving && hand.gesture" pointer-events="none">
      <template v-if="tipped"><path v-for="pass in ['under', 'upper']" :key="pass" class="line" :class="pass" :d="underHand" /></template>
      <path v-else class="line upper" :d="`M${cursor.x - 7} ${cursor.y}h14M${cursor.x} ${cursor.y - 7}v14`" />
      <text :x="cursor.x + (tipped ? Math.min(tip / 2, 120) + 8 : 10)" :y="cursor.y - 8">{{ says }}</text>
    </g>
  </g>
</template>

<style scoped>
.ground { fill: transparent; cursor: none; }
.solid { fill: none; stroke-linecap: round; stroke-linejoin: round; }
.live { fill: rgb(255 255 255 / 0.45); stroke: none; pointer-events: none; }
.source { stroke: transparent; pointer-events: stroke; cursor: move; }
.inside { fill: transparent; fill-rule: evenodd; stroke: none; cursor: move; }
.dotted { fill: none; stroke: #fff; stroke-width: 1.6; stroke-dasharray: 2.5 3.5; filter: drop-shadow(0 0 1px #000); }
.line { fill: none; pointer-events: none; }
.line.under { stroke: rgb(0 0 0 / 0.6); stroke-width: 3.2; }
.line.upper { stroke: #fff; stroke-width: 1.3; }
.line.upper.fence { stroke-dasharray: 9 3 2 3; stroke-width: 1.8; }
.line.upper.guide { stroke-dasharray: 16 4; stroke-width: 1.8; }
.thin .upper { stroke: rgb(255 255 255 / 0.85); }
.pin { cursor: pointer; }
.pin-under { fill: #fff; stroke: #1d211f; stroke-width: 1.5; }
.pin-under.off { fill: none; stroke: #fff; }
.source-pin { fill: none; stroke: #fff; }
.hit { fill: transparent; cursor: move; }
.handle { fill: #fff; stroke: #1d211f; stroke-width: 1.3; cursor: move; }
.spot.now .upper { stroke-width: 2.6; }
.spot.yes .upper { stroke: #96e0ae; }
.spot.no { opacity: 0.6; }
text { font: 600 12px var(--mono); fill: #fff; paint-order: stroke; stroke: rgb(0 0 0 / 0.75); stroke-width: 3.4px; }
</style>
