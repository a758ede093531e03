<script setup lang="ts">
import { computed, ref } from 'vue'

import type { Step } from '../../../api/client'
import { fallenTo, midOf, tipOf } from '../../areas/cast'
import { outlineOf, pathOf, round, simplified } from '../../clean/shapes'
import {
  cornerTo, horizonOf, horizonTo, inPerspective, lyingNow, movedBy, stalkOf, thrownBy, turnedTo, withParams,
} from '../../pieces/placing'
import { snapped, snappedPlace } from '../../pieces/snapping'
import { theBench } from '../../useBench'
import { between, onStage, type Point } from '../geometry'
import PlaceHandles, { type Handle } from './PlaceHandles.vue'

/**
 * A piece as it lies: cut paper with a double outline, four corner carets, a stalk to turn it by, a dotted horizon, the way
 * its shadow falls; and what is cut by hand.
 */
const { tools, view, pieces, ledger } = theBench()

/** From its upper side to the turning handle, stage pixels. */
const STALK = 34
const four = computed(() => pieces.four)
/** Sides of what lies in a view bend on the flat picture: places along each. */
const BEND = 24
const stage = computed(() => {
  const corners = four.value ?? []
  if (!pieces.seenIn || view.around.on) return corners.map(pieces.ways.toStage)
  return corners.flatMap((corner, k) => {
    const next = corners[(k + 1) % 4] as Point
    return Array.from({ length: BEND }, (_, along) => pieces.ways.toStage(between(corner, next, along / BEND)))
  })
})
const stalk = computed(() => {
  if (!four.value || !pieces.current || inPerspective(pieces.current)) return null
  return stalkOf(four.value, STALK / pieces.scale)
})
const plane = computed(() => pieces.lying?.plane)
const horizon = computed(() => (pieces.current && four.value ? horizonOf(pieces.current, four.value, plane.value) : null))
const thrown = computed(() => (pieces.current && pieces.lying && four.value ? thrownBy(pieces.current, pieces.lying, four.value) : null))
const handles = computed<Handle[]>(() => {
  const found = (four.value ?? []).map((at, k): Handle => ({ name: `${k}`, says: `Corner ${k + 1}`, at, caret: true }))
  if (stalk.value) found.push({ name: 'turn', says: 'Turn it', at: stalk.value[1] })
  if (horizon.value) found.push({ name: 'horizon', says: 'Its horizon', at: between(...horizon.value) })
  if (thrown.value) found.push({ name: 'shade', says: 'Where its shadow falls', at: tipOf(thrown.value) })
  return found
})
const lineOf = (ends: Point[] | null) => (ends ? pathOf(ends.map(pieces.ways.toStage)) : '')

/** How near, stage pixels, it snaps to the photo and to edges in it; not while Alt is held. */
const NEAR = 7
const near = () => NEAR / pieces.scale
const SAID: Record<string, string> = { turn: 'Turn a piece', horizon: 'Move its horizon', shade: 'Turn its shadow' }
function moved(name: string, to: Point, free: boolean): Step | null {
  const [step, corners] = [pieces.piece, four.value]
  if (!step || !corners) return null
  // from where it was saved to lie: a drag is counted from there, not from the frame before
  const saved = pieces.lying?.corners ?? corners
  if (name === 'turn') return turnedTo(step, saved, to, plane.value)
  if (name === 'shade') return thrown.value && withParams(step, { shade: { ...(step.params?.shade as object), ...fallenTo(thrown.value, to) } })
  const { edges, horizon: ends } = pieces.onto
  if (name === 'horizon') return horizonTo(step, saved, !free && ends !== null && Math.abs(ends - to[1]) <= near() ? [to[0], ends] : to, plane.value)
  return cornerTo(step, saved, Number(name), free || !inPerspective(step) ? to : snappedPlace(to, edges, near()), plane.value)
}
function drag(name: string, to: Point, free: boolean) {
  const step = moved(name, to, free)
  if (step) ledger.drag(step)
}
function settle(name: string, to: Point, free: boolean) {
  const step = moved(name, to, free)
  if (step) void pieces.put(SAID[name] ?? 'Move a corner', step)
}

// ------------------------------------------------------------------------------------ the whole, and what is cut

const from = ref<Point | null>(null)
const drawn = ref<Point[]>([])
/** Where a hand is on the photo, and in what the piece lies in. */
const touched = (event: PointerEvent): Point => view.sourceAt(...onStage(event))
const placeOf = (event: PointerEvent): Point => pieces.ways.ofSource(touched(event))
function press(event: PointerEvent) {
  if (event.button !== 0) return
  ;(event.currentTarget as SVGElement).setPointerCapture(event.pointerId)
  from.value = placeOf(event)
}
function by(event: PointerEvent): Step | null {
  const [step, lying, begun] = [pieces.piece, pieces.lying, from.value]
  if (!step || !begun) return null
  const [x, y] = placeOf(event)
  const moved = movedBy(step, [x - begun[0], y - begun[1]])
  if (event.altKey || !lying) return moved
  const horizon = moved.params?.horizon == null ? null : (moved.params.at as Point)
  return movedBy(moved, snapped(lyingNow(step, lying, moved), pieces.onto, near(), horizon))
}
function pull(event: PointerEvent) {
  const step = by(event)
  if (step) ledger.drag(step)
}
function drop(event: PointerEvent) {
  const step = by(event)
  from.value = null
  if (step && JSON.stringify(step) !== JSON.stringify(pieces.piece)) void pieces.put('Move a piece', step)
}
function shift(event: KeyboardEvent) {
  const step = pieces.piece
  const far = (event.shiftKey ? 10 : 1) / pieces.scale
  const ways: Record<string, Point> = { ArrowLeft: [-far, 0], ArrowRight: [far, 0], ArrowUp: [0, -far], ArrowDown: [0, far] }
  const way = ways[event.key]
  if (!way || !step) return
  event.preventDefault()
  void pieces.put('Move a piece', movedBy(step, way))
}

/** Diameter of the stroke that leads what a piece is cut to, or the sky that it is seen through, stage pixels. */
const TIP = 16
const taking = ref(false)
/** Tools that stroke over what belongs to a thing or to the sky; and those that draw loosely around one, or click into one. */
const leading = computed(() => ['lead', 'through'].includes(tools.tool))
const acting = computed(() => leading.value || ['cut', 'trim', 'mirror', 'into'].includes(tools.tool))
function begin(event: PointerEvent) {
  if (event.button !== 0) return
  ;(event.currentTarget as SVGElement).setPointerCapture(event.pointerId)
  drawn.value = [onStage(event)]
  taking.value = event.altKey
}
function go(event: PointerEvent) {
  const last = drawn.value[drawn.value.length - 1]
  const at = onStage(event)
  if (last && Math.hypot(at[0] - last[0], at[1] - last[1]) >= 2) drawn.value = [...drawn.value, at]
}
async function end() {
  const line = drawn.value
  drawn.value = []
  const onPhoto = (points: Point[]) => points.map((point) => view.sourceAt(...point).map(round) as Point)
  const onPiece = (points: Point[]) => onPhoto(points).map(pieces.ways.ofSource)
  if (tools.tool === 'into' && line[0]) await pieces.layInto(view.sourceAt(...line[0]))
  else if (tools.tool === 'lead') await pieces.lead(onPiece(simplified(line, 1)), TIP / pieces.scale, !taking.value)
  else if (tools.tool === 'through') await pieces.leadThrough(onPhoto(simplified(line, 1)), TIP / view.sourceScale, !taking.value)
  else if (line.length > 6) {
    const around = simplified(line, 1.5)
    if (tools.tool === 'trim') await pieces.trim(onPiece(around))
    else if (tools.tool === 'mirror') await pieces.reflect(onPhoto(around))
    else await pieces.cut(onPhoto(around))
  }
}
</script>

<template>
  <g>
    <g v-if="four && !acting" class="piece">
      <path
        class="sheet" :d="outlineOf(stage)" tabindex="0" role="button" aria-label="The piece: drag it, or move it by the arrow keys"
        @pointerdown.stop="press" @pointermove="pull" @pointerup="drop" @pointercancel="from = null" @keydown="shift"
      />
      <g fill="none" pointer-events="none">
        <path class="dark" :d="outlineOf(stage)" /><path class="light" :d="outlineOf(stage)" />
        <template v-if="stalk"><path class="dark" :d="lineOf(stalk)" /><path class="light" :d="lineOf(stalk)" /></template>
        <template v-if="thrown">
          <path class="dark" :d="lineOf([midOf(thrown), tipOf(thrown)])" /><path class="light" :d="lineOf([midOf(thrown), tipOf(thrown)])" />
        </template>
        <template v-if="horizon"><path class="dark dotted" :d="lineOf(horizon)" /><path class="light dotted" :d="lineOf(horizon)" /></template>
      </g>
      <PlaceHandles :handles="handles" :within="pieces.seenIn" @drag="drag" @settle="settle" />
    </g>
    <rect
      v-if="acting" class="ground" width="100%" height="100%" @pointerdown="begin" @pointermove="go" @pointerup="end" @pointercancel="drawn = []"
    />
    <path v-if="leading && drawn.length" class="ribbon" :class="{ taking }" :d="pathOf(drawn)" :stroke-width="TIP" />
    <g v-else-if="drawn.length" fill="none" pointer-events="none"><path class="dark" :d="outlineOf(drawn)" /><path class="light" :d="outlineOf(drawn)" /></g>
  </g>
</template>

<style scoped>
.sheet { fill: transparent; stroke: none; cursor: move; outline: none; }
.sheet:focus-visible { stroke: var(--fern); stroke-width: 5; }
.ground { fill: transparent; cursor: crosshair; }
.ribbon { fill: none; stroke: rgb(232 229 222 / 0.55); stroke-linecap: round; stroke-linejoin: round; pointer-events: none; }
.ribbon.taking { stroke: rgb(20 20 18 / 0.45); }
.dark { stroke: #20201e; stroke-width: 3.4; }
.light { stroke: #faf9f5; stroke-width: 1.2; }
.dotted { stroke-dasharray: 2 6; stroke-linecap: round; }
</style>
