<script setup lang="ts">
import { computed, onBeforeUnmount, onMounted, ref, useTemplateRef, watch } from 'vue'

import { clamp } from '../parts/scale'
import CropOverlay from './overlays/CropOverlay.vue'
import LineOverlay from './overlays/LineOverlay.vue'
import NeutralOverlay from './overlays/NeutralOverlay.vue'
import RepairOverlay from './overlays/RepairOverlay.vue'
import { theBench } from './useBench'

const bench = theBench()
const box = useTemplateRef<HTMLElement>('box')
const canvas = useTemplateRef<HTMLCanvasElement>('canvas')
const cursor = ref<{ x: number; y: number } | null>(null)
const rgb = ref('')
const space = ref(false)
const panning = ref<{ x: number; y: number } | null>(null)

const observer = new ResizeObserver(([entry]) => {
  if (entry) bench.resize(Math.round(entry.contentRect.width), Math.round(entry.contentRect.height))
})
onMounted(() => {
  if (box.value) observer.observe(box.value)
  window.addEventListener('keydown', spaceDown)
  window.addEventListener('keyup', spaceUp)
})
onBeforeUnmount(() => {
  observer.disconnect()
  window.removeEventListener('keydown', spaceDown)
  window.removeEventListener('keyup', spaceUp)
})
function spaceDown(event: KeyboardEvent) {
  // over the picture, space pans whatever has the focus; elsewhere it presses the focused button as usual
  if (event.key !== ' ' || !cursor.value || (event.target as HTMLElement).closest('input')) return
  event.preventDefault()
  space.value = true
}
function spaceUp(event: KeyboardEvent) {
  if (event.key === ' ') space.value = false
}

/** The newest frame, laid where it belongs in the present view: panning moves it at once, the next frame fills in. */
function draw() {
  const target = canvas.value
  const picture = bench.picture.value
  const head = bench.head.value
  if (!target) return
  const ratio = Math.min(devicePixelRatio || 1, 2)
  const { width, height } = bench.stage.value
  if (target.width !== Math.round(width * ratio)) target.width = Math.round(width * ratio)
  if (target.height !== Math.round(height * ratio)) target.height = Math.round(height * ratio)
  const context = target.getContext('2d', { willReadFrequently: true })
  if (!context || !picture || !head || head.view.whole !== bench.whole.value) return
  const grey = bench.surround.value
  context.fillStyle = `rgb(${grey} ${grey} ${grey})`
  const now = bench.view.value
  const scale = now.scale * ratio
  const factor = scale / head.view.scale
  const left = (head.view.left - now.left) * scale
  const top = (head.view.top - now.top) * scale
  const still = Math.abs(factor - 1) < 1e-9 && Math.abs(left) < 1e-6 && Math.abs(top) < 1e-6
  if (!still) context.fillRect(0, 0, target.width, target.height)
  context.imageSmoothingEnabled = factor < 4
  if (still) context.drawImage(picture, 0, 0)
  else context.drawImage(picture, left, top, picture.width * factor, picture.height * factor)
}
watch([bench.picture, bench.view, bench.stage], draw, { flush: 'post' })

function placeOf(event: MouseEvent): { x: number; y: number } {
  const at = box.value?.getBoundingClientRect()
  return { x: event.clientX - (at?.left ?? 0), y: event.clientY - (at?.top ?? 0) }
}

function down(event: PointerEvent) {
  const free = bench.tool.value === 'look'
  if (event.button !== 1 && !(event.button === 0 && (space.value || free))) return
  panning.value = placeOf(event)
  ;(event.currentTarget as HTMLElement).setPointerCapture(event.pointerId)
  event.preventDefault()
  event.stopPropagation()
}
function move(event: PointerEvent) {
  const at = placeOf(event)
  cursor.value = at
  read(at)
  if (!panning.value) return
  bench.pan(at.x - panning.value.x, at.y - panning.value.y)
  panning.value = at
}
function wheel(event: WheelEvent) {
  const at = placeOf(event)
  if (event.shiftKey && bench.station.value === 'clean') {
    const by = (event.deltaY || event.deltaX) < 0 ? 1.12 : 1 / 1.12
    bench.brush.value.size = clamp(bench.brush.value.size * by, 2, 2000)
    return
  }
  bench.zoom(bench.view.value.scale * Math.exp(-event.deltaY * (event.ctrlKey ? 0.01 : 0.0015)), at.x, at.y)
}
function read({ x, y }: { x: number; y: number }) {
  const ratio = Math.min(devicePixelRatio || 1, 2)
  const pixel = canvas.value?.getContext('2d', { willReadFrequently: true })?.getImageData(x * ratio, y * ratio, 1, 1).data
  rgb.value = pixel ? `R ${pixel[0]} G ${pixel[1]} B ${pixel[2]}` : ''
}

const names = { crop: 'crop', line: 'level by a line', look: 'look', neutral: 'pick neutral', dab: 'dab', heal: 'heal' }
const readout = computed(() => {
  const parts: string[] = [names[bench.tool.value]]
  if (bench.tool.value === 'dab' || bench.tool.value === 'heal') parts.push(`${Math.round(bench.brush.value.size)} px`)
  if (bench.tool.value === 'neutral') parts.push(`${bench.pickSize.value} px square`)
  if (cursor.value) {
    const [x, y] = bench.sourceAt(cursor.value.x, cursor.value.y)
    parts.push(`x ${Math.floor(x)} y ${Math.floor(y)}`, rgb.value)
  }
  return parts.join(' · ')
})
const scaleText = computed(() => `${bench.fitted.value ? 'fit ' : ''}${Math.round(100 * bench.view.value.scale)} %`)
const cursorStyle = computed(() => (space.value || panning.value || bench.tool.value === 'look' ? 'grab' : bench.tool.value === 'dab' || bench.tool.value === 'heal' ? 'none' : 'crosshair'))
</script>

<template>
  <main
    ref="box"
    class="stage"
    :style="{ cursor: cursorStyle, background: `rgb(${bench.surround.value} ${bench.surround.value} ${bench.surround.value})` }"
    aria-label="Picture"
    :data-settled="bench.settled.value"
    @pointerdown.capture="down"
    @pointermove="move"
    @pointerup="panning = null"
    @pointercancel="panning = null"
    @pointerleave="cursor = null"
    @wheel.prevent="wheel"
  >
    <canvas ref="canvas"></canvas>
    <p v-if="!bench.picture.value" class="waiting">Lighting the photo…</p>
    <svg v-if="bench.head.value && !bench.original.value" class="over" :width="bench.stage.value.width" :height="bench.stage.value.height">
      <CropOverlay v-if="bench.tool.value === 'crop'" />
      <LineOverlay v-else-if="bench.tool.value === 'line'" />
      <NeutralOverlay v-else-if="bench.station.value === 'balance'" :cursor="cursor" />
      <RepairOverlay v-else-if="bench.station.value === 'clean'" :cursor="cursor" />
    </svg>
    <span v-if="bench.original.value" class="banner">original</span>
    <span class="readout number left">{{ readout }}</span>
    <span class="readout number right">
      {{ scaleText }} ·
      <button v-if="!bench.fitted.value" type="button" title="Key 0" @click="bench.fit()"><b>0</b> fit</button>
      <button v-if="bench.view.value.scale !== 1" type="button" title="Key 1" @click="bench.zoom(1)"><b>1</b> 100 %</button>
    </span>
  </main>
</template>

<style scoped>
.stage { position: relative; overflow: hidden; touch-action: none; min-width: 0; min-height: 0; }
canvas { position: absolute; inset: 0; width: 100%; height: 100%; }
.over { position: absolute; inset: 0; display: block; }
.readout { position: absolute; bottom: 10px; padding: 4px 8px; background: rgb(245 245 244 / 0.92); border-radius: 3px; font-weight: 500; pointer-events: none; }
.left { left: 14px; }
.right { right: 14px; }
.readout button { border: 0; background: none; padding: 0 3px; cursor: pointer; pointer-events: auto; }
.readout button:hover { text-decoration: underline; }
.waiting { position: absolute; inset: 45% 0 auto; text-align: center; color: #fff; }
.banner { position: absolute; top: 12px; left: 14px; padding: 4px 10px; background: var(--ink); color: #fff; border-radius: 3px; }
</style>
