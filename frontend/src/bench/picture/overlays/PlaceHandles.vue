<script setup lang="ts">
import { computed, ref } from 'vue'

import { round } from '../../clean/shapes'
import { theBench } from '../../useBench'
import { onStage, type Point } from '../geometry'
import type { ViewSpec } from '../sphere'

/**
 * Places of the photo, or of a view into it, that are moved by hand or by the arrow keys; with Shift ten times as far.
 */
export interface Handle { name: string; says: string; at: Point; caret?: boolean }
/** A caret like a little house, its foot on the place. */
const CARET = 'M-6.5-13h13v8l-6.5 5-6.5-5z'
const props = defineProps<{ handles: Handle[]; within?: ViewSpec | null }>()
/** Under the hand, and where it was let go; in the places' own pixels. Free: not to be brought onto anything, as while Alt is held. */
const emit = defineEmits<{ drag: [name: string, to: Point, free: boolean]; settle: [name: string, to: Point, free: boolean] }>()

const { view } = theBench()
const moving = ref<string | null>(null)
const ways = computed(() => view.drawnIn(props.within))
const placed = computed(() =>
  props.handles.map((one) => ({ ...one, stage: ways.value.toStage(one.at) })).filter(({ stage }) => stage.every(Number.isFinite)),
)

function placeOf(event: PointerEvent): Point {
  return ways.value.ofSource(view.sourceAt(...onStage(event))).map(round) as Point
}
function take(event: PointerEvent, name: string) {
  if (event.button !== 0) return
  ;(event.currentTarget as SVGElement).setPointerCapture(event.pointerId)
  moving.value = name
}
function drag(event: PointerEvent, name: string) {
  if (moving.value === name) emit('drag', name, placeOf(event), event.altKey)
}
function drop(event: PointerEvent, name: string) {
  if (moving.value !== name) return
  moving.value = null
  emit('settle', name, placeOf(event), event.altKey)
}
function nudge(event: KeyboardEvent, { name, at }: Handle) {
  const by = (event.shiftKey ? 10 : 1) / view.scaleIn(props.within, at)
  const ways: Record<string, Point> = { ArrowLeft: [-by, 0], ArrowRight: [by, 0], ArrowUp: [0, -by], ArrowDown: [0, by] }
  const way = ways[event.key]
  if (!way) return
  event.preventDefault()
  emit('settle', name, [at[0] + way[0], at[1] + way[1]], true)
}
</script>

<template>
  <g
    v-for="one in placed" :key="one.name" class="handle" :transform="`translate(${one.stage[0]} ${one.stage[1]})`" tabindex="0" role="button"
    :aria-label="one.says" @pointerdown.stop="take($event, one.name)" @pointermove="drag($event, one.name)" @pointerup="drop($event, one.name)"
    @keydown="nudge($event, one)"
  >
    <circle class="hit" r="13" />
    <path v-if="one.caret" :d="CARET" />
    <circle v-else r="7" />
  </g>
</template>

<style scoped>
.handle { fill: var(--sheet); stroke: var(--ink); stroke-width: 1.5; cursor: move; }
.handle:focus-visible { stroke: var(--fern); stroke-width: 3; outline: none; }
.hit { fill: transparent; stroke: none; }
</style>
