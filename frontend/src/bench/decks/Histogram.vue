<script setup lang="ts">
import { computed } from 'vue'

import { theBench } from '../useBench'

/** The delivered colours, and where among them the point under the cursor lies. */
const { frames } = theBench()
const WIDTH = 256
const HEIGHT = 60
const colours = ['#b03a2e', '#2e7d46', '#2c5fa8']

/** Pairs of values together, so that rounding in tone steps does not comb the outline; roots let small counts show. */
const outlines = computed(() => {
  const halved = frames.histogram.map((counts) =>
    Array.from({ length: 128 }, (_, k) => Math.sqrt((counts[2 * k] ?? 0) + (counts[2 * k + 1] ?? 0))),
  )
  // clipped ends may stand out of the top: what lies between them sets the height
  const top = Math.max(1, ...halved.map((one) => Math.max(...one.slice(2, -2))))
  const heightOf = (value: number) => (HEIGHT * (1 - Math.min(1, value / top))).toFixed(1)
  return halved.map((one) => `M0 ${HEIGHT}${one.map((value, k) => `L${2 * k + 1} ${heightOf(value)}`).join('')}L${WIDTH} ${HEIGHT}Z`)
})
const says = computed(() => {
  const total = frames.histogram[0]?.reduce((a, b) => a + b, 0) ?? 0
  if (!total) return 'Histogram, being measured'
  const white = Math.max(...frames.histogram.map((counts) => (counts[255] ?? 0) / total))
  return `Histogram of the delivered colours; ${(100 * white).toFixed(1)} % at the top end`
})
</script>

<template>
  <svg v-tooltip.top="says" class="histogram" :viewBox="`0 0 ${WIDTH} ${HEIGHT}`" preserveAspectRatio="none" role="img" :aria-label="says">
    <path v-for="(outline, k) in outlines" :key="k" :d="outline" :fill="colours[k]" />
    <template v-if="frames.underCursor">
      <line v-for="(value, k) in frames.underCursor" :key="k" :x1="value + 0.5" :x2="value + 0.5" y1="0" :y2="HEIGHT" :stroke="colours[k]" />
    </template>
  </svg>
</template>

<style scoped>
.histogram { display: block; width: 100%; height: 54px; background: var(--paper); border: 1px solid var(--hairline); border-radius: 3px; }
path { mix-blend-mode: multiply; opacity: 0.55; }
line { stroke-width: 1.4; vector-effect: non-scaling-stroke; }
</style>
