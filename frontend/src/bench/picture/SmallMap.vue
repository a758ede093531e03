<script setup lang="ts">
import { computed, ref, useTemplateRef, watch } from 'vue'

import { pathOf } from '../clean/shapes'
import { theBench } from '../useBench'

/** Where the view lies in the picture, once it no longer shows all of it; and what a walkover has not looked at yet. */
const { frames, view, proof, walkover, ledger } = theBench()
const around = view.around
/** Looking around, it is the only flat picture there is. */
const LONG = computed(() => (around.on ? 260 : 150))
const thumbnail = computed(() => {
  const photo = ledger.page?.photo
  return photo ? `/api/photos/${photo.id}/thumbnail?of=${photo.blob.slice(0, 8)}` : ''
})
/** The footprint of the view, in the map's pixels. */
const footprint = computed(() => {
  const { width, height } = ledger.page?.photo ?? {}
  const [kx, ky] = [size.value.width / (width ?? 1), size.value.height / (height ?? 1)]
  return around.footprint.map((line) => pathOf(line.map(([x, y]) => [x * kx, y * ky]))).join('')
})
const canvas = useTemplateRef<HTMLCanvasElement>('canvas')
const caught = ref(false)

const size = computed(() => {
  const { width, height } = view.content
  const k = LONG.value / Math.max(width, height, 1)
  return { width: Math.round(width * k), height: Math.round(height * k), k }
})
const inView = computed(() => {
  const { left, top, scale } = view.at
  const content = view.content
  return { left: left - content.left, top: top - content.top, width: view.room / scale, height: view.stage.height / scale }
})
const shown = computed(() => around.on || !view.fitted && (inView.value.width < 0.98 * view.content.width || inView.value.height < 0.98 * view.content.height))
const square = computed(() => Math.max(2, Math.sqrt((size.value.width * size.value.height) / Math.max(1, walkover.cells.length))))

/** A frame that shows everything is kept, small. */
watch([() => frames.picture, canvas], () => {
  const head = frames.head
  const picture = frames.picture
  const context = canvas.value?.getContext('2d')
  if (!head || !picture || !context || proof.lamp || proof.original || head.view.around) return
  const { left, top, scale } = head.view
  const content = view.content
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
  const content = view.content
  if (around.on) {
    const { width, height } = ledger.page?.photo ?? {}
    const [kx, ky] = [(width ?? 1) / size.value.width, (height ?? 1) / size.value.height]
    return around.face([(event.clientX - box.left) * kx, (event.clientY - box.top) * ky])
  }
  view.centre([content.left + (event.clientX - box.left) / size.value.k, content.top + (event.clientY - box.top) / size.value.k])
}
</script>

<template>
  <div
    v-show="shown && (caught || around.on)" class="map" :class="{ inside: around.on }" aria-hidden="true"
    :style="{ width: `${size.width}px`, height: `${size.height}px` }"
    @pointerdown.stop="go" @pointermove.stop="go" @wheel.stop
  >
    <img v-if="around.on" :src="thumbnail" alt="" draggable="false" />
    <canvas v-show="!around.on" ref="canvas" :width="size.width" :height="size.height"></canvas>
    <svg :width="size.width" :height="size.height">
      <g v-if="walkover.on">
        <template v-for="cell in walkover.cells" :key="cell.index">
          <rect
            v-if="!walkover.seen.has(cell.index)" class="unseen" :x="cell.x * size.k - square / 2" :y="cell.y * size.k - square / 2"
            :width="square" :height="square"
          />
        </template>
      </g>
      <template v-if="around.on"><path v-for="pass in ['under', 'upper']" :key="pass" :class="pass" :d="footprint" /></template>
      <rect
        v-for="pass in ['under', 'upper']" v-else :key="pass" :class="pass" :x="inView.left * size.k" :y="inView.top * size.k"
        :width="inView.width * size.k" :height="inView.height * size.k"
      />
    </svg>
  </div>
</template>

<style scoped>
.map {
  position: absolute; right: 14px; bottom: 44px; overflow: hidden; border: 1px solid var(--ink); border-radius: 3px;
  background: var(--bench); cursor: crosshair; touch-action: none;
}
.inside { right: 68px; bottom: 76px; }
canvas, svg, img { position: absolute; inset: 0; }
img { width: 100%; height: 100%; object-fit: fill; }
.under { fill: none; stroke: rgb(0 0 0 / 0.65); stroke-width: 3.2; }
.upper { fill: none; stroke: #fff; stroke-width: 1.3; }
.unseen { fill: rgb(30 30 30 / 0.55); }
</style>
