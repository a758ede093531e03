<script setup lang="ts">
import { computed } from 'vue'

import { FIELD } from '../rooms/useAround'
import { theBench } from '../useBench'
import { within180 } from './sphere'

/** Heading, pitch and field of view as scales along the picture's edges, as on a survey instrument. */
const { view } = theBench()
const around = view.around

/** Stage pixels from the middle for an angle away from where the eye looks. */
function away(angle: number): number {
  return (Math.tan((angle * Math.PI) / 180) * view.room) / 2 / Math.tan((around.eye.field * Math.PI) / 360)
}
function marks(middle: number, half: number, wrap: boolean) {
  const step = around.eye.field > 70 ? 10 : around.eye.field > 35 ? 5 : 2
  const list: { at: number; label: string }[] = []
  for (let value = Math.ceil((middle - 60) / step) * step; value <= middle + 60; value += step) {
    const at = away(value - middle)
    if (Math.abs(at) > half - 14 || (!wrap && Math.abs(value) > 90)) continue
    list.push({ at, label: value % (2 * step) === 0 ? `${wrap ? within180(value) : value}°` : '' })
  }
  return list
}
const headings = computed(() => marks(around.eye.heading, view.room / 2, true))
const pitches = computed(() => marks(around.eye.pitch, view.stage.height / 2, false))
const LONG = 180
const fieldAt = computed(() => ((FIELD.high - around.eye.field) / (FIELD.high - FIELD.low)) * LONG)

type Part = 'heading' | 'pitch' | 'field'
function hold(event: PointerEvent) {
  ;(event.currentTarget as HTMLElement).setPointerCapture(event.pointerId)
  event.stopPropagation()
}
function drag(event: PointerEvent, part: Part) {
  if (!(event.buttons & 1)) return
  if (part === 'heading') around.drag(event.movementX, 0)
  else if (part === 'pitch') around.drag(0, event.movementY)
  else around.set({ field: around.eye.field - (event.movementY * (FIELD.high - FIELD.low)) / LONG })
}
const rest = (part: Part) => around.set({ [part]: part === 'field' ? FIELD.rest : 0 }, true)
function key(event: KeyboardEvent, part: Part) {
  const by = (event.shiftKey ? 10 : 1) * (['ArrowRight', 'ArrowUp'].includes(event.key) ? 1 : ['ArrowLeft', 'ArrowDown'].includes(event.key) ? -1 : 0)
  if (event.key === 'Home') rest(part)
  else if (by) around.set({ [part]: around.eye[part] + by }, true)
  else return
  event.preventDefault()
  event.stopPropagation()
}
const ends: Record<Part, [number, number]> = { heading: [-180, 180], pitch: [-90, 90], field: [FIELD.low, FIELD.high] }
function slider(part: Part) {
  const value = Math.round(10 * around.eye[part]) / 10
  return {
    role: 'slider', tabindex: 0, 'aria-label': part, 'aria-valuenow': value, 'aria-valuetext': `${value}°`,
    'aria-valuemin': ends[part][0], 'aria-valuemax': ends[part][1],
    onPointerdown: hold,
    onPointermove: (event: PointerEvent) => { event.stopPropagation(); drag(event, part) },
    onKeydown: (event: KeyboardEvent) => key(event, part),
    onDblclick: (event: MouseEvent) => { event.stopPropagation(); rest(part) },
  }
}
</script>

<template>
  <div class="scale heading" v-bind="slider('heading')">
    <svg :width="view.room" height="30">
      <g v-for="mark in headings" :key="mark.at" :transform="`translate(${view.room / 2 + mark.at} 0)`">
        <path :d="`M0 0v${mark.label ? 10 : 6}`" /><text v-if="mark.label" y="23">{{ mark.label }}</text>
      </g>
      <path class="caret" :d="`M${view.room / 2 - 6} 12v-6l6 -6l6 6v6z`" />
    </svg>
  </div>
  <div class="scale pitch" v-bind="slider('pitch')">
    <svg width="56" :height="view.stage.height">
      <g v-for="mark in pitches" :key="mark.at" :transform="`translate(0 ${view.stage.height / 2 - mark.at})`">
        <path :d="`M0 0h${mark.label ? 10 : 6}`" /><text v-if="mark.label" x="14" y="4" class="side">{{ mark.label }}</text>
      </g>
      <path class="caret" :d="`M12 ${view.stage.height / 2 - 6}h-6l-6 6l6 6h6z`" />
    </svg>
  </div>
  <div class="scale field" v-bind="slider('field')">
    <span class="small">field</span><b class="number">{{ Math.round(around.eye.field) }}°</b>
    <svg width="40" :height="LONG + 20">
      <path :d="`M20 8v${LONG}`" />
      <path class="caret" :d="`M14 ${fieldAt}h12v8l-6 6l-6 -6z`" />
    </svg>
  </div>
</template>

<style scoped>
.scale { position: absolute; background: rgb(236 236 236 / 0.92); touch-action: none; user-select: none; }
.heading { left: 0; right: 0; bottom: 0; height: 30px; cursor: ew-resize; }
.pitch { right: 0; top: 0; bottom: 30px; width: 56px; cursor: ns-resize; overflow: hidden; }
.field { left: 0; top: 0; width: 60px; padding: 12px 0 6px; cursor: ns-resize; text-align: center; border-radius: 0 0 3px; }
.field > * { display: block; margin: 0 auto; }
path { stroke: var(--ink); stroke-width: 1; fill: none; }
.caret { fill: var(--ink); stroke: none; }
text { font: 600 12px var(--mono); text-anchor: middle; fill: var(--ink); }
.side { text-anchor: start; }
</style>
