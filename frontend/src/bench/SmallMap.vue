<script setup lang="ts">
import { computed, ref, useTemplateRef, watch } from 'vue'

import { theBench, theWalkover } from './useBench'

/** Where the view lies in the picture, once it no longer shows all of it; and what a walkover has not looked at yet. */
const bench = theBench()
const walkover = theWalkover()
const LONG = 150
const canvas = useTemplateRef<HTMLCanvasElement>('canvas')
const caught = ref(false)

const size = computed(() => {
  const { width, height } = bench.content.value
  const k = LONG / Math.max(width, height, 1)
  return { width: Math.round(width * k), height: Math.round(height * k), k }
})
const inView = computed(() => {
  const { left, top, scale } = bench.view.value
  const content = bench.content.value
  return { left: left - content.left, top: top - content.top, width: bench.room.value / scale, height: bench.stage.value.height / scale }
})
const shown = computed(() => !bench.fitted.value && (inView.value.width < 0.98 * bench.content.value.width || inView.value.height < 0.98 * bench.content.value.height))
const square = computed(() => Math.max(2, Math.sqrt((size.value.width * size.value.height) / Math.max(1, walkover.cells.value.length))))

/** A frame that shows everything is kept, small. */
watch([bench.picture, canvas], () => {
  const head = bench.head.value
  const picture = bench.picture.value
  const context = canvas.value?.getContext('2d')
  if (!head || !picture || !context || bench.lamp.value || bench.original.value) return
  const { left, top, scale } = head.view
  const content = bench.content.value
  const x = (content.left - left) * scale
  const y = (content.top - top) * scale
  const width = content.width * scale
  const height = content.height * scale
  if (x < -1 || y < -1 || x + width > picture.width + 1 || y + height > picture.height + 1) return
  context.drawImage(picture, x, y, width, height, 0, 0, size.value.width, size.value.height)
  caught.value = true
})

function go(event: PointerEvent) {
  if (event.type === 'pointerdown') (event.currentTarget as HTMLElement).setPointerCapture(event.pointerId)
  else if (!(event.buttons & 1)) return
  const box = (event.currentTarget as HTMLElement).getBoundingClientRect()
  const content = bench.content.value
  bench.centre([content.left + (event.clientX - box.left) / size.value.k, content.top + (event.clientY - box.top) / size.value.k])
}
</script>

<template>
  <div v-show="shown && caught" class="map" :style="{ width: `${size.width}px`, height: `${size.height}px` }" aria-hidden="true" @pointerdown.stop="go" @pointermove.stop="go" @wheel.stop>
    <canvas ref="canvas" :width="size.width" :height="size.height"></canvas>
    <svg :width="size.width" :height="size.height">
      <g v-if="walkover.on.value">
        <template v-for="cell in walkover.cells.value" :key="cell.index">
          <rect v-if="!walkover.seen.value.has(cell.index)" class="unseen" :x="cell.x * size.k - square / 2" :y="cell.y * size.k - square / 2" :width="square" :height="square" />
        </template>
      </g>
      <rect v-for="pass in ['under', 'upper']" :key="pass" :class="pass" :x="inView.left * size.k" :y="inView.top * size.k" :width="inView.width * size.k" :height="inView.height * size.k" />
    </svg>
  </div>
</template>

<style scoped>
.map { position: absolute; right: 14px; bottom: 44px; overflow: hidden; border: 1px solid var(--ink); border-radius: 3px; background: var(--bench); cursor: crosshair; touch-action: none; }
canvas, svg { position: absolute; inset: 0; }
.under { fill: none; stroke: rgb(0 0 0 / 0.65); stroke-width: 3.2; }
.upper { fill: none; stroke: #fff; stroke-width: 1.3; }
.unseen { fill: rgb(30 30 30 / 0.55); }
</style>
