<script setup lang="ts">
import { computed } from 'vue'

import { theBench } from '../../useBench'

/** The delivered colours, and where among them the point under the cursor lies. */
const bench = theBench()
const WIDTH = 256
const HEIGHT = 60
const colours = ['#b03a2e', '#2e7d46', '#2c5fa8']

/** Pairs of values together, so that rounding in tone steps does not comb the outline; the roots let small counts show. */
const outlines = computed(() => {
  const tones = bench.histogram.value
  const bins = tones.map((counts) => Array.from({ length: 128 }, (_, k) => Math.sqrt((counts[2 * k] ?? 0) + (counts[2 * k + 1] ?? 0))))
  // clipped ends may stand out of the top: what lies between them sets the height
  const top = Math.max(1, ...bins.map((one) => Math.max(...one.slice(2, -2))))
  return bins.map((one) => `M0 ${HEIGHT}` + one.map((value, k) => `L${2 * k + 1} ${(HEIGHT * (1 - Math.min(1, value / top))).toFixed(1)}`).join('') + `L${WIDTH} ${HEIGHT}Z`)
})
const says = computed(() => {
  const total = bench.histogram.value[0]?.reduce((a, b) => a + b, 0) ?? 0
  if (!total) return 'Histogram, being measured'
  const white = Math.max(...bench.histogram.value.map((counts) => (counts[255] ?? 0) / total))
  return `Histogram of the delivered colours; ${(100 * white).toFixed(1)} % at the top end`
})
</script>

<template>
  <svg class="histogram" :viewBox="`0 0 ${WIDTH} ${HEIGHT}`" preserveAspectRatio="none" role="img" :aria-label="says">
    <title>{{ says }}</title>
    <path v-for="(outline, k) in outlines" :key="k" :d="outline" :fill="colours[k]" />
    <template v-if="bench.underCursor.value">
      <line v-for="(value, k) in bench.underCursor.value" :key="k" :x1="value + 0.5" :x2="value + 0.5" y1="0" :y2="HEIGHT" :stroke="colours[k]" />
    </template>
  </svg>
</template>

<style scoped>
.histogram { display: block; width: 100%; height: 58px; background: var(--paper); border: 1px solid var(--hairline); border-radius: 3px; }
path { mix-blend-mode: multiply; opacity: 0.55; }
line { stroke-width: 1.4; vector-effect: non-scaling-stroke; }
</style>
