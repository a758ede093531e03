<script setup lang="ts">
import { useElementSize, useEventListener } from '@vueuse/core'
import Button from 'primevue/button'
import { computed, onMounted, ref, useTemplateRef, watch } from 'vue'

import { clamp } from '../../parts/scale'
import { PLANE } from '../clean/usePlanes'
import { resizeTool } from '../keys'
import { directionOf, facing, within180 } from './sphere'
import type { Frame } from '../types'
import { theBench } from '../useBench'
import AreasOverlay from './overlays/AreasOverlay.vue'
import PiecesOverlay from './overlays/PiecesOverlay.vue'
import CornersOverlay from './overlays/CornersOverlay.vue'
import CropOverlay from './overlays/CropOverlay.vue'
import DecidedOverlay from './overlays/DecidedOverlay.vue'
import GhostCanvas from './overlays/GhostCanvas.vue'
import LevelOverlay from './overlays/LevelOverlay.vue'
import LineOverlay from './overlays/LineOverlay.vue'
import NotesOverlay from './overlays/NotesOverlay.vue'
import NeutralOverlay from './overlays/NeutralOverlay.vue'
import PlaneOverlay from './overlays/PlaneOverlay.vue'
import PlaceOverlay from './overlays/PlaceOverlay.vue'
import SphereOverlay from './overlays/SphereOverlay.vue'
import RepairOverlay from './overlays/RepairOverlay.vue'
import AroundRulers from './AroundRulers.vue'
import MirrorInset from './MirrorInset.vue'
import SmallMap from './SmallMap.vue'
import StageWords from './StageWords.vue'
import { usePinch } from './usePinch'

const bench = theBench()
const { decks, tools, proof, frames, view, clean, planes, places } = bench
const box = useTemplateRef<HTMLElement>('box')
const canvas = useTemplateRef<HTMLCanvasElement>('canvas')
const rgb = ref('')
const panning = ref<{ x: number; y: number } | null>(null)
const ratio = () => Math.min(devicePixelRatio || 1, 2)

const { width: stageWidth, height: stageHeight } = useElementSize(box)
watch([stageWidth, stageHeight], ([width, height]) => view.resize(Math.round(width), Math.round(height)))

/** The newest frame, laid where it belongs in the present view: panning moves it at once, the next frame fills in. */
function draw() {
  const target = canvas.value
  if (!target) return
  const { width, height } = view.stage
  const wide = Math.round(view.room * ratio())
  if (target.width !== Math.round(width * ratio())) target.width = Math.round(width * ratio())
  if (target.height !== Math.round(height * ratio())) target.height = Math.round(height * ratio())
  const context = target.getContext('2d', { willReadFrequently: true })
  const { picture, head, beside } = frames
  if (!context || !picture || !head || head.view.whole !== tools.whole || !head.view.around === view.around.on) return
  context.fillStyle = `rgb(${proof.surround} ${proof.surround} ${proof.surround})`
  lay(context, { picture, head }, 0, 0, wide)
  if (proof.way === 'pair') {
    const from = target.width - wide
    context.fillRect(wide, 0, from - wide, target.height)
    if (beside) lay(context, beside, from, 0, wide)
    else context.fillRect(from, 0, wide, target.height)
  } else if (proof.way === 'wipe' && beside) lay(context, beside, 0, 0, Math.round(proof.wipe * target.width))
}

/** How a frame of where one looked is laid where one looks now. */
function shiftOf({ view: was }: Frame['head']): { factor: number; left: number; top: number } {
  const scale = view.at.scale * ratio()
  if (!was.around) return { factor: scale / was.scale, left: (was.left - view.at.left) * scale, top: (was.top - view.at.top) * scale }
  // looking around, it is moved as its middle moves: the next frame is right everywhere
  const { eye } = view.around
  const half = (field: number) => Math.tan((field * Math.PI) / 360)
  const factor = half(was.around.field) / half(eye.field)
  const perDegree = (view.room * ratio() * Math.PI) / 360 / half(eye.field)
  const across = within180(was.around.heading - eye.heading) * perDegree * Math.cos((eye.pitch * Math.PI) / 180)
  const down = (eye.pitch - was.around.pitch) * perDegree
  const [width, height] = [was.width, was.height]
  return { factor, left: (width * (1 - factor)) / 2 + across, top: (height * (1 - factor)) / 2 + down }
}

/** A frame between `from + start` and `from + end` of the canvas, its view's corner at `from`. */
function lay(context: CanvasRenderingContext2D, { picture, head }: Frame, from: number, start: number, end: number) {
  const { factor, left, top } = shiftOf(head)
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
onMounted(draw)
watch(
  [() => frames.picture, () => frames.beside, () => view.at, () => view.around.eye, () => view.around.on, () => view.stage, () => proof.way, () => proof.wipe],
  draw,
  { flush: 'post' },
)

function placeOf(event: MouseEvent): { x: number; y: number } {
  const at = box.value?.getBoundingClientRect()
  return { x: event.clientX - (at?.left ?? 0), y: event.clientY - (at?.top ?? 0) }
}
/** Where that is in the picture it lies on, when two stand side by side. */
function onPicture({ x, y }: { x: number; y: number }): { x: number; y: number } {
  const second = view.stage.width - view.room
  return { x: second > 0 && x >= second ? x - second : x, y }
}

const pinch = usePinch(view, (event) => onPicture(placeOf(event)))
function down(event: PointerEvent) {
  if (pinch.down(event)) {
    panning.value = null
    return event.stopPropagation()
  }
  // what lies on the picture to be pressed keeps its presses
  if ((event.target as Element).closest('button, [role=button], [role=slider]')) return
  const free = tools.tool === 'look'
  if (event.button !== 1 && !(event.button === 0 && (view.spaced || free))) return
  panning.value = placeOf(event)
  ;(event.currentTarget as HTMLElement).setPointerCapture(event.pointerId)
  event.preventDefault()
  event.stopPropagation()
}
function move(event: PointerEvent) {
  const at = placeOf(event)
  view.cursor = onPicture(at)
  read(at)
  if (pinch.move(event)) return event.stopPropagation()
  if (!panning.value) return
  view.pan(at.x - panning.value.x, at.y - panning.value.y)
  panning.value = at
}
function wheel(event: WheelEvent) {
  const at = onPicture(placeOf(event))
  const resizable = tools.station === 'clean' || tools.station === 'areas' || tools.picking
  if (event.shiftKey && resizable) return resizeTool(bench, (event.deltaY || event.deltaX) < 0 ? 1.12 : 1 / 1.12)
  view.closer(Math.exp(-event.deltaY * (event.ctrlKey ? 0.01 : 0.0015)), at.x, at.y)
}
function up(event: PointerEvent) {
  pinch.up(event)
  panning.value = null
}
function leave() {
  view.cursor = null
  frames.underCursor = null
}
// a button that shows the original while it is held is let go anywhere
useEventListener(window, 'pointerup', () => (proof.original = false))

function wipeTo(event: PointerEvent) {
  if (event.buttons & 1) proof.wipe = clamp(placeOf(event).x / view.stage.width, 0, 1)
}
function hold(event: PointerEvent) {
  ;(event.currentTarget as HTMLElement).setPointerCapture(event.pointerId)
}
function shiftWipe(by: number) {
  proof.wipe = clamp(proof.wipe + by, 0, 1)
}
/** By keys: a third of the stage at a time. */
function walk(event: KeyboardEvent) {
  const { width, height } = view.stage
  const ways: Record<string, [number, number]> = {
    ArrowLeft: [width / 3, 0], ArrowRight: [-width / 3, 0], ArrowUp: [0, height / 3], ArrowDown: [0, -height / 3],
  }
  const way = ways[event.key]
  if (clean.specks.spots) return
  if (way) view.pan(...way)
  else if (event.key === '+' || event.key === '=') view.closer(1.5)
  else if (event.key === '-') view.closer(1 / 1.5)
  else return
  event.preventDefault()
}
function read({ x, y }: { x: number; y: number }) {
  const context = canvas.value?.getContext('2d', { willReadFrequently: true })
  const pixel = context?.getImageData(x * ratio(), y * ratio(), 1, 1).data
  rgb.value = pixel ? `R ${pixel[0]} G ${pixel[1]} B ${pixel[2]}` : ''
  frames.underCursor = pixel && !proof.lamp ? [pixel[0] ?? 0, pixel[1] ?? 0, pixel[2] ?? 0] : null
}

const NAMES: Record<string, string> = {
  line: 'level by a line', sphere: 'level the panorama', corners: 'square up by four corners',
  neutral: 'pick neutral', hue: 'pick this colour', note: 'pin a note',
  brush: 'brush', edged: 'brush by edges', lead: 'lead by strokes', straight: 'straight gradient', round: 'round gradient', colours: 'pick colours',
  cut: 'cut from this photo', into: 'into a frame',
}
/** The piece that is taken up, with what it is placed by. */
const pieceSays = computed(() => {
  const step = tools.tool === 'look' ? bench.pieces.current : null
  if (!step) return ''
  const { title, scale, turn, size } = (step.params ?? {}) as { title?: string; scale?: number; turn?: number; size?: number }
  const large = scale ? `${Math.round(100 * scale)} %` : size ? `${Math.round(size)} px` : ''
  return [title || step.op, large, turn ? `turned ${turn}°` : ''].filter(Boolean).join(' · ')
})
const readout = computed(() => {
  const parts = [pieceSays.value || NAMES[tools.tool] || decks.called(tools.tool)]
  const tipped = ['stroke', 'click'].includes(tools.gesture ?? '') || ['brush', 'edged', 'lead'].includes(tools.tool)
  if (tipped) parts.push(`${Math.round(clean.brush.size ?? 0)} px`)
  if (tools.picking) parts.push(`${tools.pickSize} px square`)
  if (view.cursor) {
    const [x, y] = view.sourceAt(view.cursor.x, view.cursor.y)
    if (view.around.on) parts.push(looksAt([x, y]), rgb.value)
    else parts.push(`x ${Math.floor(x)} y ${Math.floor(y)}`, rgb.value)
  }
  return parts.join(' · ')
})
/** A place of the panorama as the direction in which it lies. */
function looksAt(point: [number, number]): string {
  const sphere = view.around.sphere
  if (!sphere) return ''
  const { heading, pitch } = facing(directionOf(sphere, point))
  return `${heading.toFixed(1)}° ${pitch.toFixed(1)}°`
}
const scaleText = computed(() => {
  if (view.around.on) return `${Math.round(100 * view.sourceScale)} %`
  return `${view.fitted ? 'fit ' : ''}${Math.round(100 * view.at.scale)} %`
})
const cursorStyle = computed(() => {
  if (view.spaced || panning.value || tools.tool === 'look') return 'grab'
  return tools.gesture ? 'none' : 'crosshair'
})
const ground = computed(() => `rgb(${proof.surround} ${proof.surround} ${proof.surround})`)
</script>

<template>
  <main
    ref="box" class="stage" :class="{ inside: view.around.on }" :style="{ cursor: cursorStyle, background: ground }"
    aria-label="Picture: arrow keys pan, plus and minus come closer and go back"
    tabindex="0" :data-settled="bench.settled.value"
    @keydown.self="walk" @pointerdown.capture="down" @pointermove.capture="move" @pointerup.capture="up" @pointercancel.capture="up"
    @pointerleave="leave" @wheel.prevent="wheel"
  >
    <canvas ref="canvas"></canvas>
    <GhostCanvas v-if="tools.station === 'clean'" :from="canvas" />
    <p v-if="!frames.picture" class="waiting">Lighting the photo…</p>
    <svg v-if="frames.head && !proof.original" class="over" :width="view.room" :height="view.stage.height">
      <CropOverlay v-if="tools.tool === 'crop'" />
      <CornersOverlay v-else-if="tools.tool === 'corners'" />
      <LineOverlay v-else-if="tools.tool === 'line'" />
      <SphereOverlay v-else-if="tools.tool === 'sphere'" />
      <NeutralOverlay v-else-if="tools.station === 'balance'" />
      <PlaneOverlay v-else-if="tools.tool === PLANE" editing />
      <DecidedOverlay v-else-if="tools.station === 'clean' && places.kind" />
      <template v-else-if="tools.station === 'clean'"><PlaneOverlay v-if="planes.inHand" /><RepairOverlay /></template>
      <AreasOverlay v-else-if="tools.station === 'areas'" />
      <PiecesOverlay v-else-if="tools.station === 'pieces'" />
      <PlaceOverlay v-if="tools.place" />
      <NotesOverlay v-if="tools.tool === 'note' || tools.tool === 'look'" />
    </svg>
    <LevelOverlay v-if="proof.lamp === 'level' && frames.head" />
    <div
      v-if="proof.way === 'wipe'" class="wipe" role="slider" tabindex="0" aria-label="Wipe line" aria-valuemin="0" aria-valuemax="100"
      :aria-valuenow="Math.round(100 * proof.wipe)" :style="{ left: `${100 * proof.wipe}%` }"
      @pointerdown.stop="hold" @pointermove.stop="wipeTo" @keydown.left.prevent="shiftWipe(-0.02)" @keydown.right.prevent="shiftWipe(0.02)"
    ></div>
    <StageWords />
    <AroundRulers v-if="view.around.on" />
    <SmallMap />
    <MirrorInset />
    <span class="readout number left">{{ readout }}</span>
    <span class="readout number right">
      {{ scaleText }}
      <Button v-if="!view.fitted && !view.around.on" link size="small" label="0 fit" @click="view.fit()" />
      <Button v-if="view.around.on || view.at.scale !== 1" link size="small" label="1 100 %" @click="view.zoom(1)" />
      <Button
        v-if="view.around.sphere && !tools.whole" link size="small" :label="view.around.on ? '⌫ flat' : '⌫ look around'" @click="view.around.toggle()"
      />
    </span>
  </main>
</template>

<style scoped>
.stage { position: relative; overflow: hidden; touch-action: none; min-width: 0; min-height: 0; }
canvas { position: absolute; inset: 0; width: 100%; height: 100%; }
.over { position: absolute; inset: 0; display: block; }
.readout {
  position: absolute; bottom: 10px; min-height: 26px; display: flex; gap: 8px; align-items: center; padding: 0 8px;
  background: rgb(245 245 244 / 0.92); border-radius: 3px; font-weight: 500; pointer-events: none;
}
.left { left: 14px; }
.right { right: 14px; }
.readout :deep(button) { pointer-events: auto; }
.inside :deep(.banner.hint) { left: 74px; bottom: 74px; }
.inside .left { left: 74px; bottom: 40px; }
.inside .right { right: 66px; bottom: 40px; }
.waiting { position: absolute; inset: 45% 0 auto; text-align: center; color: #fff; }
.wipe {
  position: absolute; top: 0; bottom: 0; width: 25px; margin-left: -12px; cursor: ew-resize; touch-action: none;
  background:
    linear-gradient(to right, transparent 11px, #fff 11px 13px, transparent 13px),
    linear-gradient(to right, transparent 10px, #000 10px 15px, transparent 15px);
}
.wipe::after {
  content: ''; position: absolute; top: 50%; left: 2px; width: 21px; height: 21px; margin-top: -10px; border-radius: 50%;
  background: var(--sheet); border: 1.5px solid var(--ink);
}
</style>
