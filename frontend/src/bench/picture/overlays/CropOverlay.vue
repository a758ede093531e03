<script setup lang="ts">
import { useDebounceFn } from '@vueuse/core'
import { computed, ref, watch } from 'vue'

import { draggedCrop, turnedBox, type Handle, type Rect } from '../geometry'
import { theBench } from '../../useBench'
import type { FrameHead } from '../../types'
import { guideLines } from './guides'

const { ledger, tools, frames, view, decks } = theBench()
const least = computed(() => decks.ruler('crop', 'width')?.low ?? 1)
const dragged = ref<Rect | null>(null)
const start = ref<{ x: number; y: number; handle: Handle; crop: Rect } | null>(null)

const crop = computed<Rect>(() => {
  if (dragged.value) return dragged.value
  const [left, top, width, height] = frames.head?.crop ?? [0, 0, 1, 1]
  return { left, top, width, height }
})
const shown = computed(() => {
  const [left, top] = view.stageOfView([crop.value.left, crop.value.top])
  const scale = view.at.scale
  return { left, top, width: crop.value.width * scale, height: crop.value.height * scale }
})
const outside = computed(() => {
  const { left, top, width, height } = shown.value
  return `M0 0H${view.stage.width}V${view.stage.height}H0ZM${left} ${top}v${height}h${width}v${-height}Z`
})
const handles = computed(() => {
  const { left, top, width, height } = shown.value
  const list: { name: Handle; x: number; y: number; cursor: string }[] = [
    { name: 'nw', x: 0, y: 0, cursor: 'nwse-resize' },
    { name: 'n', x: 0.5, y: 0, cursor: 'ns-resize' },
    { name: 'ne', x: 1, y: 0, cursor: 'nesw-resize' },
    { name: 'e', x: 1, y: 0.5, cursor: 'ew-resize' },
    { name: 'se', x: 1, y: 1, cursor: 'nwse-resize' },
    { name: 's', x: 0.5, y: 1, cursor: 'ns-resize' },
    { name: 'sw', x: 0, y: 1, cursor: 'nesw-resize' },
    { name: 'w', x: 0, y: 0.5, cursor: 'ew-resize' },
  ]
  return list.map((handle) => ({ ...handle, x: left + handle.x * width, y: top + handle.y * height }))
})

const ratio = computed(() => String(ledger.stepOf('crop')?.params?.ratio ?? 'free'))
function bounds(head: FrameHead): Rect {
  return head.angle === 0 ? { left: 0, top: 0, width: head.turned[0], height: head.turned[1] } : turnedBox(head.turned, head.angle)
}

function take(event: PointerEvent, handle: Handle) {
  if (event.button !== 0) return
  ;(event.target as Element).setPointerCapture(event.pointerId)
  start.value = { x: event.clientX, y: event.clientY, handle, crop: { ...crop.value } }
}
function move(event: PointerEvent) {
  const from = start.value
  const head = frames.head
  if (!from || !head) return
  const scale = view.at.scale
  const [dx, dy] = [event.clientX - from.x, event.clientY - from.y]
  if (from.handle === 'move' && event.altKey) {
    // the picture goes with the hand and the crop stays where it is on the stage
    const was = crop.value
    const next = draggedCrop(from.crop, 'move', -dx / scale, -dy / scale, ratio.value, bounds(head), least.value)
    view.pan((was.left - next.left) * scale, (was.top - next.top) * scale)
    dragged.value = next
  } else dragged.value = draggedCrop(from.crop, from.handle, dx / scale, dy / scale, ratio.value, bounds(head), least.value)
}
async function drop() {
  start.value = null
  if (!dragged.value) return
  await ledger.putStep('Crop', ledger.stepFor('crop', { ...dragged.value, ratio: ratio.value }))
}
// the server's own rectangle, pushed in where a corner would have been blank, replaces the dragged one
watch(() => frames.head, () => {
  if (!start.value) dragged.value = null
})

/** Many presses are one change. */
const dropSoon = useDebounceFn(drop, 400)
function nudge(event: KeyboardEvent) {
  const by = event.shiftKey ? 20 : 2
  const moves: Record<string, [number, number]> = { ArrowLeft: [-by, 0], ArrowRight: [by, 0], ArrowUp: [0, -by], ArrowDown: [0, by] }
  const step = moves[event.key]
  const grow = event.key === '+' || event.key === '=' ? by : event.key === '-' ? -by : 0
  const head = frames.head
  if ((!step && !grow) || !head) return
  event.preventDefault()
  if (step) dragged.value = draggedCrop(crop.value, 'move', step[0], step[1], ratio.value, bounds(head), least.value)
  else {
    const grown = draggedCrop(crop.value, 'se', 2 * grow, 2 * grow, ratio.value, bounds(head), least.value)
    const [dx, dy] = [(crop.value.width - grown.width) / 2, (crop.value.height - grown.height) / 2]
    dragged.value = draggedCrop(grown, 'move', dx, dy, ratio.value, bounds(head), least.value)
  }
  void dropSoon()
}
</script>

<template>
  <g>
    <path :d="outside" fill="#777" fill-opacity="0.72" fill-rule="evenodd" pointer-events="none" />
    <g pointer-events="none">
      <path v-for="pass in ['under', 'upper']" :key="pass" :class="pass" fill="none" :d="guideLines(tools.guide, shown)" />
    </g>
    <rect
      class="body" tabindex="0" role="group" aria-label="Crop: arrow keys move it, plus and minus change its size"
      :x="shown.left" :y="shown.top" :width="shown.width" :height="shown.height"
      @pointerdown="take($event, 'move')" @pointermove="move" @pointerup="drop" @keydown="nudge"
    />
    <g v-for="handle in handles" :key="handle.name">
      <rect class="knob" :x="handle.x - 5" :y="handle.y - 5" width="10" height="10" pointer-events="none" />
      <rect
        class="grip" :data-handle="handle.name" :style="{ cursor: handle.cursor }"
        :x="handle.x - 12" :y="handle.y - 12" width="24" height="24"
        @pointerdown="take($event, handle.name)" @pointermove="move" @pointerup="drop"
      />
    </g>
    <text class="label" :x="shown.left + 8" :y="shown.top + 18">{{ Math.round(crop.width) }} × {{ Math.round(crop.height) }} px</text>
  </g>
</template>

<style scoped>
.under { stroke: rgb(0 0 0 / 0.35); stroke-width: 2.5; }
.upper { stroke: rgb(255 255 255 / 0.85); stroke-width: 0.9; }
.body { fill: transparent; stroke: #fff; stroke-width: 1.4; cursor: move; outline: none; paint-order: stroke; filter: drop-shadow(0 0 1px #000); }
.body:focus-visible { stroke: var(--pale-fern); stroke-width: 2.4; }
.knob { fill: #fff; stroke: #1d211f; stroke-width: 1; }
.grip { fill: transparent; }
.label { font: 600 12.5px var(--mono); fill: #fff; paint-order: stroke; stroke: rgb(0 0 0 / 0.7); stroke-width: 3px; pointer-events: none; }
</style>
