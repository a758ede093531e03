<script setup lang="ts">
import { computed } from 'vue'

import { pathOf } from '../../clean/shapes'
import { theBench } from '../../useBench'
import { onStage } from '../geometry'

/** Faces or mirrors on the picture: a ring for each, crossed where it is let be, ticked where it is decided; a click adds one. */
const { view, places } = theBench()
const rings = computed(() =>
  places.places.flatMap((one, index) => {
    const [x, y] = view.stageOfSource([one.x, one.y])
    if (!Number.isFinite(x)) return []
    const level = view.around.on || !view.around.sphere ? 1 : 1 / Math.max(0.05, Math.sin((Math.PI * (one.y + view.around.sphere[3])) / view.around.sphere[1]))
    return [{ index, x, y, r: Math.max(9, ((one.size ?? 24 / view.sourceScale) * view.sourceScale) / 2), level, wide: one.wide ?? 1, one }]
  }),
)
/** Where camera and stand would show in the mirror under review. */
const line = computed(() => (places.glass?.line ?? []).map((point) => view.stageOfSource(point)).filter(([x]) => Number.isFinite(x)))
/** Beside what there is room for. */
const toLeft = computed(() => (line.value[0]?.[0] ?? 0) > view.room / 2)
function press(event: PointerEvent) {
  if (event.button === 0) void places.add(view.sourceAt(...onStage(event)))
}
</script>

<template>
  <g>
    <rect class="ground" :width="view.room" :height="view.stage.height" @pointerdown="press" />
    <g v-if="line[0]" pointer-events="none">
      <path v-for="pass in ['under', 'upper']" :key="pass" class="line" :class="pass" :d="pathOf(line)" />
      <path class="upper" :d="`M${line[0][0] - 7} ${line[0][1]}h14`" />
      <text :x="line[0][0] + (toLeft ? -10 : 10)" :y="line[0][1] - 6" :text-anchor="toLeft ? 'end' : 'start'">about here: camera and stand</text>
    </g>
    <g
      v-for="ring in rings" :key="ring.index" class="ring" :class="{ now: ring.index === places.at }" :transform="`translate(${ring.x} ${ring.y})`"
      @pointerdown.stop="places.visit(ring.index)"
    >
      <rect
        v-for="pass in ['under', 'upper']" :key="pass" :class="pass" :x="-ring.r * ring.level * ring.wide" :y="-ring.r" :rx="ring.r * ring.level" :ry="ring.r"
        :width="2 * ring.r * ring.level * ring.wide" :height="2 * ring.r" :transform="`rotate(${ring.one.turn ?? 0})`"
      />
      <path v-if="ring.one.hidden === false" class="upper" :d="`M${-ring.r} ${ring.r}L${ring.r} ${-ring.r}`" />
      <path v-else-if="places.isDecided(ring.one)" class="upper" d="M-5 0l4 4l7 -8" />
    </g>
  </g>
</template>

<style scoped>
.ground { fill: transparent; cursor: crosshair; }
.ring { cursor: pointer; }
.ring rect { fill: transparent; }
.under { stroke: rgb(0 0 0 / 0.6); stroke-width: 3.6; }
.upper { stroke: #fff; stroke-width: 1.4; fill: none; }
.line { stroke-dasharray: 3 4; fill: none; }
text { font: 600 12px var(--mono); fill: #fff; paint-order: stroke; stroke: rgb(0 0 0 / 0.75); stroke-width: 3.4px; }
.now .upper { stroke-width: 2.6; }
</style>
