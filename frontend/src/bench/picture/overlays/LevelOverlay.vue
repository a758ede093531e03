<script setup lang="ts">
import { computed } from 'vue'

import { theBench } from '../../useBench'

/** A grid to judge uprights and levels by, and how far the lines that were found hang. */
const { ledger, frames, view } = theBench()
const EVERY = 64
const across = computed(() => Array.from({ length: Math.floor(view.stage.width / EVERY) }, (_, k) => (k + 0.5) * EVERY))
const down = computed(() => Array.from({ length: Math.floor(view.stage.height / EVERY) }, (_, k) => (k + 0.5) * EVERY))
const says = computed(() => {
  const found = ledger.proposals.straighten?.angle
  if (found === undefined) return 'no clear upright or level lines were found, or they are true already'
  const left = found - (frames.head?.angle ?? 0)
  return Math.abs(left) < 0.05 ? 'the lines found are level' : `the lines found hang by ${Math.abs(left).toFixed(2)}°: turn ${left > 0 ? 'right' : 'left'}`
})
</script>

<template>
  <svg class="grid" :width="view.stage.width" :height="view.stage.height" aria-hidden="true">
    <g v-for="pass in ['under', 'upper']" :key="pass" :class="pass">
      <line v-for="x in across" :key="`x${x}`" :x1="x" :x2="x" y1="0" :y2="view.stage.height" />
      <line v-for="y in down" :key="`y${y}`" :y1="y" :y2="y" x1="0" :x2="view.stage.width" />
    </g>
  </svg>
  <span class="says" role="status">{{ says }}</span>
</template>

<style scoped>
.grid { position: absolute; inset: 0; pointer-events: none; }
.under { stroke: rgb(0 0 0 / 0.3); stroke-width: 2.2; }
.upper { stroke: rgb(255 255 255 / 0.7); stroke-width: 0.8; }
.says { position: absolute; top: 44px; right: 14px; padding: 4px 10px; background: rgb(245 245 244 / 0.92); border-radius: 3px; }
</style>
