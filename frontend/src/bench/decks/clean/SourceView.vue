<script setup lang="ts">
import { onMounted, useTemplateRef, watch } from 'vue'

import type { Step } from '../../../api/client'
import { middleOf } from '../../clean/shapes'
import type { Point } from '../../picture/geometry'
import { theBench } from '../../useBench'

/** A small live view of where a repair takes its texture from, out of the frame that is shown. */
const props = defineProps<{ step: Step }>()
const { ledger, frames, view } = theBench()
const canvas = useTemplateRef<HTMLCanvasElement>('canvas')
const SIDE = 96

function middle(): Point | null {
  const draft = ledger.draft
  const step = draft && draft.id === props.step.id ? draft : props.step
  const source = step.params?.source as { dx: number; dy: number } | undefined
  const points = pointsOf(step)
  if (!source || !points.length) return null
  const mask = step.mask && 'view' in step.mask ? step.mask : null
  const [x, y] = view.drawnIn(mask?.view).toSource(middleOf(points))
  return [x + source.dx, y + source.dy]
}
function pointsOf({ mask }: Step): Point[] {
  if (mask?.kind === 'strokes') return mask.strokes.flatMap((one) => one.points.map(([x, y]): Point => [x, y]))
  return mask?.kind === 'outline' ? mask.points : []
}
function draw() {
  const context = canvas.value?.getContext('2d')
  const [picture, head, at] = [frames.picture, frames.head, middle()]
  if (!context || !picture || !head || !at) return
  const [x, y] = view.stageOfSource(at)
  const ratio = head.view.around ? picture.width / view.room : head.view.scale / view.at.scale
  context.fillStyle = '#cfcfcf'
  context.fillRect(0, 0, SIDE, SIDE)
  context.drawImage(picture, (x - SIDE / 2) * ratio, (y - SIDE / 2) * ratio, SIDE * ratio, SIDE * ratio, 0, 0, SIDE, SIDE)
}
onMounted(draw)
watch([() => frames.picture, () => view.at, () => view.around.eye, () => ledger.draft, () => props.step], draw, { flush: 'post' })
</script>

<template>
  <figure class="source">
    <canvas ref="canvas" :width="SIDE" :height="SIDE" role="img" aria-label="Where the texture comes from"></canvas>
    <figcaption class="small soft">source</figcaption>
  </figure>
</template>

<style scoped>
.source { margin: 0; position: relative; }
canvas { display: block; border: 1px dashed var(--ink); border-radius: 3px; }
figcaption { position: absolute; left: 5px; bottom: 8px; padding: 0 4px; background: var(--paper); border-radius: 2px; }
</style>
