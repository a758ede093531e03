<script setup lang="ts">
import { computed, ref } from 'vue'

import type { Step } from '../../../api/client'
import { fallenTo, midOf, tipOf } from '../../areas/cast'
import { outlineOf, pathOf, simplified } from '../../clean/shapes'
import { touchOf } from '../../clean/usePainting'
import {
  cornerTo, horizonOf, horizonTo, inPerspective, lyingNow, movedBy, stalkOf, thrownBy, turnedTo, withParams,
} from '../../pieces/placing'
import { snapped, snappedPlace } from '../../pieces/snapping'
import { theBench } from '../../useBench'
import { between, type Point } from '../geometry'
import PlaceHandles, { type Handle } from './PlaceHandles.vue'

/**
 * A piece as it lies: cut paper with a double outline, four corner carets, a stalk to turn it by, a dotted horizon, the way
 * its shadow falls; and what is cut by hand.
 */
const { tools, view, pieces, ledger } = theBench()

/** From its upper side to the turning handle, stage pixels. */
const STALK = 34
const four = computed(() => pieces.four)
const stage = computed(() => (four.value ?? []).map(view.stageOfSource))
const stalk = computed(() => {
  if (!four.value || !pieces.current || inPerspective(pieces.current)) return null
  return stalkOf(four.value, STALK / view.sourceScale)
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
const lineOf = (ends: Point[] | null) => (ends ? pathOf(ends.map(view.stageOfSource)) : '')

/** How near, stage pixels, it snaps to the photo and to edges in it; not while Alt is held. */
const NEAR = 7
const near = () => NEAR / view.sourceScale
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
const placeOf = (event: PointerEvent): Point => touchOf(event, view).slice(0, 2) as Point
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
  const far = (event.shiftKey ? 10 : 1) / view.sourceScale
  const ways: Record<string, Point> = { ArrowLeft: [-far, 0], ArrowRight: [far, 0], ArrowUp: [0, -far], ArrowDown: [0, far] }
  const way = ways[event.key]
  if (!way || !step) return
  event.preventDefault()
  void pieces.put('Move a piece', movedBy(step, way))
}

/** What draws loosely around a thing. */
const CUTS: Record<string, (around: Point[]) => Promise<void>> = { cut: pieces.cut, trim: pieces.trim }
/** Diameter of the stroke that leads what a piece is cut to, stage pixels. */
const TIP = 16
const taking = ref(false)
const acting = computed(() => tools.tool in CUTS || tools.tool === 'into' || tools.tool === 'lead')
function begin(event: PointerEvent) {
  if (event.button !== 0) return
  ;(event.currentTarget as SVGElement).setPointerCapture(event.pointerId)
  drawn.value = [placeOf(event)]
  taking.value = event.altKey
}
function go(event: PointerEvent) {
  const last = drawn.value[drawn.value.length - 1]
  const at = placeOf(event)
  if (last && Math.hypot(at[0] - last[0], at[1] - last[1]) * view.sourceScale >= 2) drawn.value = [...drawn.value, at]
}
async function end() {
  const points = drawn.value
  drawn.value = []
  if (tools.tool === 'into' && points[0]) await pieces.layInto(points[0])
  else if (tools.tool === 'lead') await pieces.lead(simplified(points, 1 / view.sourceScale), TIP / view.sourceScale, !taking.value)
  else if (points.length > 6) await CUTS[tools.tool]?.(simplified(points, 1.5 / view.sourceScale))
}
const line = computed(() => drawn.value.map(view.stageOfSource))
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
      <PlaceHandles :handles="handles" @drag="drag" @settle="settle" />
    </g>
    <rect
      v-if="acting" class="ground" width="100%" height="100%" @pointerdown="begin" @pointermove="go" @pointerup="end" @pointercancel="drawn = []"
    />
    <path v-if="tools.tool === 'lead' && line.length" class="ribbon" :class="{ taking }" :d="pathOf(line)" :stroke-width="TIP" />
    <g v-else-if="line.length" fill="none" pointer-events="none"><path class="dark" :d="outlineOf(line)" /><path class="light" :d="outlineOf(line)" /></g>
  </g>
</template>

<style scoped>
.sheet { fill: transparent; stroke: none; cursor: move; }
.sheet:focus-visible { outline: none; stroke: var(--fern); stroke-width: 5; }
.ground { fill: transparent; cursor: crosshair; }
.ribbon { fill: none; stroke: rgb(232 229 222 / 0.55); stroke-linecap: round; stroke-linejoin: round; pointer-events: none; }
.ribbon.taking { stroke: rgb(20 20 18 / 0.45); }
.dark { stroke: #20201e; stroke-width: 3.4; }
.light { stroke: #faf9f5; stroke-width: 1.2; }
.dotted { stroke-dasharray: 2 6; stroke-linecap: round; }
</style>
