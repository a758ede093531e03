<script setup lang="ts">
import { computed, onBeforeUnmount, onMounted, ref, useTemplateRef, watch } from 'vue'

import { clock } from '../parts/due'
import { clamp } from '../parts/scale'
import { methodOf } from './clean/methods'
import CornersOverlay from './overlays/CornersOverlay.vue'
import CropOverlay from './overlays/CropOverlay.vue'
import GhostCanvas from './overlays/GhostCanvas.vue'
import LevelOverlay from './overlays/LevelOverlay.vue'
import LineOverlay from './overlays/LineOverlay.vue'
import NotesOverlay from './overlays/NotesOverlay.vue'
import NeutralOverlay from './overlays/NeutralOverlay.vue'
import RepairOverlay from './overlays/RepairOverlay.vue'
import SmallMap from './SmallMap.vue'
import { theBench, theWalkover, type LampName, type Tool } from './useBench'
import type { FrameHead } from './useSocket'
import { usePinch } from './usePinch'

const bench = theBench()
const walkover = theWalkover()
const box = useTemplateRef<HTMLElement>('box')
const canvas = useTemplateRef<HTMLCanvasElement>('canvas')
const cursor = bench.cursor
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
  if (event.key !== ' ' || !cursor.value || walkover.on.value || (event.target as HTMLElement).closest('input')) return
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
  const wide = Math.round(bench.room.value * ratio)
  if (target.width !== Math.round(width * ratio)) target.width = Math.round(width * ratio)
  if (target.height !== Math.round(height * ratio)) target.height = Math.round(height * ratio)
  const context = target.getContext('2d', { willReadFrequently: true })
  if (!context || !picture || !head || head.view.whole !== bench.whole.value) return
  const grey = bench.surround.value
  context.fillStyle = `rgb(${grey} ${grey} ${grey})`
  lay(context, picture, head, 0, 0, wide)
  const other = bench.beside.value
  if (bench.proof.value === 'pair') {
    const from = target.width - wide
    context.fillRect(wide, 0, from - wide, target.height)
    if (other) lay(context, other.picture, other.head, from, 0, wide)
    else context.fillRect(from, 0, wide, target.height)
  } else if (bench.proof.value === 'wipe' && other) lay(context, other.picture, other.head, 0, 0, Math.round(bench.wipe.value * target.width))
}

/** A frame between `from + start` and `from + end` of the canvas, its view's corner at `from`. */
function lay(context: CanvasRenderingContext2D, picture: ImageBitmap, head: FrameHead, from: number, start: number, end: number) {
  const ratio = Math.min(devicePixelRatio || 1, 2)
  const now = bench.view.value
  const scale = now.scale * ratio
  const factor = scale / head.view.scale
  const left = (head.view.left - now.left) * scale
  const top = (head.view.top - now.top) * scale
  const still = Math.abs(factor - 1) < 1e-9 && Math.abs(left) < 1e-6 && Math.abs(top) < 1e-6
  context.save()
  context.beginPath()
  context.rect(from + start, 0, end - start, context.canvas.height)
  context.clip()
  if (!still) context.fillRect(from + start, 0, end - start, context.canvas.height)
  context.imageSmoothingEnabled = factor < 4
  if (still) context.drawImage(picture, from, 0)
  else context.drawImage(picture, from + left, top, picture.width * factor, picture.height * factor)
  context.restore()
}
watch([bench.picture, bench.beside, bench.view, bench.stage, bench.proof, bench.wipe], draw, { flush: 'post' })

function placeOf(event: MouseEvent): { x: number; y: number } {
  const at = box.value?.getBoundingClientRect()
  return { x: event.clientX - (at?.left ?? 0), y: event.clientY - (at?.top ?? 0) }
}
/** Where that is in the picture it lies on, when two stand side by side. */
function onPicture({ x, y }: { x: number; y: number }): { x: number; y: number } {
  const second = bench.stage.value.width - bench.room.value
  return { x: second > 0 && x >= second ? x - second : x, y }
}

const pinch = usePinch(bench, (event) => onPicture(placeOf(event)))
function down(event: PointerEvent) {
  if (pinch.down(event)) {
    panning.value = null
    return event.stopPropagation()
  }
  const free = bench.tool.value === 'look'
  if (event.button !== 1 && !(event.button === 0 && (space.value || free))) return
  panning.value = placeOf(event)
  ;(event.currentTarget as HTMLElement).setPointerCapture(event.pointerId)
  event.preventDefault()
  event.stopPropagation()
}
function move(event: PointerEvent) {
  const at = placeOf(event)
  cursor.value = onPicture(at)
  read(at)
  if (pinch.move(event)) return event.stopPropagation()
  if (!panning.value) return
  bench.pan(at.x - panning.value.x, at.y - panning.value.y)
  panning.value = at
}
function wheel(event: WheelEvent) {
  const at = onPicture(placeOf(event))
  if (event.shiftKey && bench.resizable.value) return bench.resizeTool((event.deltaY || event.deltaX) < 0 ? 1.12 : 1 / 1.12)
  bench.zoom(bench.view.value.scale * Math.exp(-event.deltaY * (event.ctrlKey ? 0.01 : 0.0015)), at.x, at.y)
}
function up(event: PointerEvent) {
  pinch.up(event)
  panning.value = null
}
function leave() {
  cursor.value = null
  bench.underCursor.value = null
}
function wipeTo(event: PointerEvent) {
  if (!(event.buttons & 1)) return
  bench.wipe.value = clamp(placeOf(event).x / bench.stage.value.width, 0, 1)
}
function hold(event: PointerEvent) {
  ;(event.currentTarget as HTMLElement).setPointerCapture(event.pointerId)
}
/** By keys: a third of the stage at a time. */
function walk(event: KeyboardEvent) {
  const { width, height } = bench.stage.value
  const ways: Record<string, [number, number]> = { ArrowLeft: [width / 3, 0], ArrowRight: [-width / 3, 0], ArrowUp: [0, height / 3], ArrowDown: [0, -height / 3] }
  const way = ways[event.key]
  if (way) bench.pan(...way)
  else if (event.key === '+' || event.key === '=') bench.zoom(bench.view.value.scale * 1.5)
  else if (event.key === '-') bench.zoom(bench.view.value.scale / 1.5)
  else return
  event.preventDefault()
}
function read({ x, y }: { x: number; y: number }) {
  const ratio = Math.min(devicePixelRatio || 1, 2)
  const pixel = canvas.value?.getContext('2d', { willReadFrequently: true })?.getImageData(x * ratio, y * ratio, 1, 1).data
  rgb.value = pixel ? `R ${pixel[0]} G ${pixel[1]} B ${pixel[2]}` : ''
  bench.underCursor.value = pixel && !bench.lamp.value ? [pixel[0] ?? 0, pixel[1] ?? 0, pixel[2] ?? 0] : null
}

const names: Partial<Record<Tool, string>> = { line: 'level by a line', corners: 'square up by four corners', neutral: 'pick neutral', hue: 'pick this colour', note: 'pin a note', redeye: 'red eye' }
const readout = computed(() => {
  const parts: string[] = [names[bench.tool.value] ?? bench.tool.value]
  const tipped = methodOf(bench.tool.value)?.gesture
  if (tipped === 'stroke' || tipped === 'click') parts.push(`${Math.round(bench.brush.value.size)} px`)
  if (bench.tool.value === 'neutral' || bench.tool.value === 'hue') parts.push(`${bench.pickSize.value} px square`)
  if (cursor.value) {
    const [x, y] = bench.sourceAt(cursor.value.x, cursor.value.y)
    parts.push(`x ${Math.floor(x)} y ${Math.floor(y)}`, rgb.value)
  }
  return parts.join(' · ')
})
const lampSays: Record<LampName, string> = {
  cast: 'cast lamp: colour pushed to the top', speck: 'speck lamp: fine contrast only', clip: 'clip lamp: red is white without texture, blue is black',
  repeat: 'repeat lamp: lines link texture that stands twice', mask: 'mask lamp: what was repaired is lit', level: 'level lamp: true lines thin, hanging ones thick',
}
const scaleText = computed(() => `${bench.fitted.value ? 'fit ' : ''}${Math.round(100 * bench.view.value.scale)} %`)
const cursorStyle = computed(() => (space.value || panning.value || bench.tool.value === 'look' ? 'grab' : methodOf(bench.tool.value) ? 'none' : 'crosshair'))
</script>

<template>
  <main
    ref="box"
    class="stage"
    :style="{ cursor: cursorStyle, background: `rgb(${bench.surround.value} ${bench.surround.value} ${bench.surround.value})` }"
    aria-label="Picture: arrow keys pan, plus and minus come closer and go back"
    tabindex="0"
    :data-settled="bench.settled.value"
    @keydown.self="walk"
    @pointerdown.capture="down"
    @pointermove.capture="move"
    @pointerup.capture="up"
    @pointercancel.capture="up"
    @pointerleave="leave"
    @wheel.prevent="wheel"
  >
    <canvas ref="canvas"></canvas>
    <GhostCanvas v-if="bench.station.value === 'clean'" :from="canvas" />
    <p v-if="!bench.picture.value" class="waiting">Lighting the photo…</p>
    <svg v-if="bench.head.value && !bench.original.value" class="over" :width="bench.room.value" :height="bench.stage.value.height">
      <CropOverlay v-if="bench.tool.value === 'crop'" />
      <CornersOverlay v-else-if="bench.tool.value === 'corners'" />
      <LineOverlay v-else-if="bench.tool.value === 'line'" />
      <NeutralOverlay v-else-if="bench.station.value === 'balance'" :cursor="cursor" />
      <RepairOverlay v-else-if="bench.station.value === 'clean'" :cursor="cursor" />
      <NotesOverlay v-if="bench.tool.value === 'note' || bench.tool.value === 'look'" />
    </svg>
    <LevelOverlay v-if="bench.lamp.value === 'level' && bench.head.value" />
    <template v-if="bench.proof.value === 'wipe'">
      <span class="banner">original</span>
      <div
        class="wipe" role="slider" tabindex="0" aria-label="Wipe line" aria-valuemin="0" aria-valuemax="100" :aria-valuenow="Math.round(100 * bench.wipe.value)"
        :style="{ left: `${100 * bench.wipe.value}%` }" @pointerdown.stop="hold" @pointermove.stop="wipeTo"
        @keydown.left.prevent="bench.wipe.value = clamp(bench.wipe.value - 0.02, 0, 1)" @keydown.right.prevent="bench.wipe.value = clamp(bench.wipe.value + 0.02, 0, 1)"
      ></div>
    </template>
    <span v-else-if="bench.proof.value === 'pair'" class="banner" :style="{ left: `${bench.stage.value.width - bench.room.value + 14}px` }">original</span>
    <span v-else-if="bench.original.value" class="banner">original</span>
    <span v-if="bench.lamp.value && !bench.original.value" class="banner lamp">{{ bench.head.value?.lamp === bench.lamp.value ? lampSays[bench.lamp.value] : 'being lit…' }}</span>
    <span v-if="bench.round.heldBy.value" class="banner held" role="status">{{ bench.round.heldBy.value.name }} has this photo on the bench since {{ clock(bench.round.heldBy.value.since) }}. Look as you like; it cannot be changed here now.</span>
    <SmallMap />
    <span v-if="walkover.on.value" class="banner walk" role="status">
      walkover · window {{ walkover.at.value + 1 }} of {{ walkover.windows.value.length }} · {{ Math.floor(100 * walkover.share.value) }} % looked at · <b>Space</b> next · <b>Backspace</b> back · <b>Escape</b> stop
    </span>
    <span v-if="bench.clean.hint.value && bench.station.value === 'clean'" class="banner hint" role="status">
      <b>{{ bench.clean.hint.value.method }}</b> fits here · {{ bench.clean.hint.value.why }} · <button class="link" type="button" @click="bench.clean.takeHint()"><b>Enter</b> takes it</button>
    </span>
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
.banner.hint { top: auto; bottom: 44px; }
.banner.hint .link { color: inherit; font: inherit; }
.banner.held { left: 50%; transform: translateX(-50%); background: var(--short); white-space: nowrap; }
.banner.walk { left: 50%; transform: translateX(-50%); white-space: nowrap; }
.banner.lamp { left: auto; right: 14px; }
.wipe { position: absolute; top: 0; bottom: 0; width: 21px; margin-left: -10px; cursor: ew-resize; touch-action: none; background: linear-gradient(to right, transparent 9px, #000 9px 12px, transparent 12px), linear-gradient(to right, transparent 10px, #fff 10px 11px, transparent 11px); background-blend-mode: normal; }
.wipe::after { content: ''; position: absolute; top: 50%; left: 1px; width: 19px; height: 19px; margin-top: -9px; border-radius: 50%; background: var(--sheet); border: 1.5px solid var(--ink); }
.banner { position: absolute; top: 12px; left: 14px; padding: 4px 10px; background: var(--ink); color: #fff; border-radius: 3px; }
</style>
