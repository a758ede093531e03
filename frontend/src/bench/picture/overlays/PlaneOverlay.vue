<script setup lang="ts">
import { computed, ref } from 'vue'

import { outlineOf } from '../../clean/shapes'
import { theBench } from '../../useBench'
import { inQuad, onStage, type Point } from '../geometry'

/** The plane in hand as a sparse grid in its perspective; while it is set, with its four corners to drag. */
const props = defineProps<{ editing?: boolean }>()
const { view, planes } = theBench()
const names = ['upper left', 'upper right', 'lower right', 'lower left']
const held = ref<number | null>(null)
const LINES = [0, 0.2, 0.4, 0.6, 0.8, 1]

const corners = computed(() => (props.editing ? planes.corners : planes.cornersOf(planes.inHand)))
const toStage = computed(() => view.drawnIn(props.editing ? planes.view : planes.viewOf(planes.inHand)).toStage)
const places = computed(() => corners.value.map((corner) => toStage.value(corner)))
/** Lines are drawn point by point: in a view, or in a turned panorama, they need not be straight. */
const grid = computed(() => {
  if (corners.value.length !== 4) return ''
  const line = (at: (t: number) => Point) =>
    Array.from({ length: 13 }, (_, k) => toStage.value(inQuad(corners.value, at(k / 12))))
      .filter(([x]) => Number.isFinite(x))
      .map(([x, y], k) => `${k ? 'L' : 'M'}${x.toFixed(1)} ${y.toFixed(1)}`)
      .join('')
  return LINES.flatMap((u) => [line((t) => [u, t]), line((t) => [t, u])]).join('')
})
function take(event: PointerEvent, k: number) {
  if (event.button !== 0) return
  ;(event.target as Element).setPointerCapture(event.pointerId)
  held.value = k
}
function move(event: PointerEvent) {
  if (held.value !== null) planes.drag(held.value, onStage(event))
}
function nudge(event: KeyboardEvent, k: number) {
  const by = event.shiftKey ? 10 : 1
  const ways: Record<string, Point> = { ArrowLeft: [-by, 0], ArrowRight: [by, 0], ArrowUp: [0, -by], ArrowDown: [0, by] }
  const way = ways[event.key]
  const place = places.value[k]
  if (event.key === 'Enter') void planes.save()
  else if (way && place) planes.drag(k, [place[0] + way[0], place[1] + way[1]])
  else return
  event.preventDefault()
  event.stopPropagation()
}
</script>

<template>
  <g>
    <g pointer-events="none">
      <path class="line under" :d="grid" /><path class="line upper" :d="grid" />
    </g>
    <g v-if="editing">
      <path class="hold" :d="outlineOf(places)" />
      <g
        v-for="([x, y], k) in places" :key="names[k]" role="button" tabindex="0" :aria-label="`${names[k]} corner of the plane`"
        :transform="`translate(${x} ${y})`" @pointerdown.stop="take($event, k)" @pointermove="move" @pointerup="held = null" @keydown="nudge($event, k)"
      >
        <circle class="hit" r="16" /><path class="handle" d="M-6 -6h12v12h-12z" />
      </g>
    </g>
  </g>
</template>

<style scoped>
.line { fill: none; }
.under { stroke: rgb(0 0 0 / 0.45); stroke-width: 2.6; }
.upper { stroke: rgb(255 255 255 / 0.85); stroke-width: 1; }
.hold { fill: none; stroke: #fff; stroke-width: 1.6; }
.hit { fill: transparent; cursor: move; }
.handle { fill: #fff; stroke: #1d211f; stroke-width: 1.3; cursor: move; }
</style>
