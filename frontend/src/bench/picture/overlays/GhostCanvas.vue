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
  context.globalAlpha = ghost.alpha
  for (const { path, map } of ghost.parts) {
    context.save()
    context.scale(ratio, ratio)
    context.clip(new Path2D(path))
    context.transform(...map)
    context.drawImage(props.from, 0, 0, width, height)
    context.restore()
  }
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
