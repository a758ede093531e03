<script setup lang="ts">
import { onMounted, useTemplateRef, watch } from 'vue'

import { theBench } from '../../useBench'

/** Live content of the picture where it will land: under a clone tip, inside an outline that is being moved. */
const props = defineProps<{ from: HTMLCanvasElement | null }>()
const { tools, frames, view } = theBench()
const canvas = useTemplateRef<HTMLCanvasElement>('canvas')

function draw() {
  const target = canvas.value
  const { width, height } = view.stage
  if (!target || !props.from) return
  const ratio = Math.min(devicePixelRatio || 1, 2)
  target.width = Math.round(width * ratio)
  target.height = Math.round(height * ratio)
  const ghost = tools.ghost
  const context = target.getContext('2d')
  if (!context || !ghost) return
  context.scale(ratio, ratio)
  // first the shape, then the picture only where the shape is
  context.globalAlpha = ghost.alpha
  context.lineCap = context.lineJoin = 'round'
  const path = new Path2D(ghost.path)
  if (ghost.width === null) context.fill(path)
  else {
    context.lineWidth = ghost.width
    context.stroke(path)
  }
  context.globalAlpha = 1
  context.globalCompositeOperation = 'source-in'
  context.translate(ghost.about[0], ghost.about[1])
  context.rotate((ghost.turn * Math.PI) / 180)
  context.scale(ghost.mirror === 'across' ? -1 : 1, ghost.mirror === 'down' ? -1 : 1)
  context.translate(-ghost.about[0] + ghost.shift[0], -ghost.about[1] + ghost.shift[1])
  context.drawImage(props.from, 0, 0, width, height)
}
onMounted(draw)
watch([() => tools.ghost, () => frames.picture, () => view.stage], draw, { flush: 'post' })
</script>

<template>
  <canvas ref="canvas" class="ghost" aria-hidden="true"></canvas>
</template>

<style scoped>
.ghost { position: absolute; inset: 0; width: 100%; height: 100%; pointer-events: none; }
</style>
