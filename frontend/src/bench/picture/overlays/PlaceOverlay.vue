<script setup lang="ts">
import { round } from '../../clean/shapes'
import { theBench } from '../../useBench'
import { onStage } from '../geometry'

/** A place is asked for: the next click gives it. */
const { tools, view } = theBench()
function give(event: PointerEvent) {
  if (event.button !== 0) return
  const [x, y] = view.sourceAt(...onStage(event))
  tools.place?.take({ x: round(x), y: round(y), size: tools.pickSize })
  tools.place = null
}
</script>

<template>
  <rect class="ground" width="100%" height="100%" @pointerdown.stop="give" />
</template>

<style scoped>
.ground { fill: transparent; cursor: crosshair; }
</style>
