<script setup lang="ts">
import { computed } from 'vue'

import { ofDirection, turned, turnedBy } from '../sphere'
import { theBench } from '../../useBench'

/** On the flat panorama: where level is, and where a viewer begins. */
const { view, ledger } = theBench()
const level = computed(() => view.stageOfView([0, view.content.height / 2])[1])
const start = computed(() => {
  const params = (ledger.stepOf('start')?.params ?? null) as { heading?: number; pitch?: number } | null
  const sphere = view.around.sphere
  if (!params || !sphere) return null
  const [x, y] = ofDirection(sphere, turned(turnedBy(params.heading ?? 0, params.pitch ?? 0), [0, 0, 1]))
  return view.stageOfView([x, y])
})
</script>

<template>
  <g pointer-events="none">
    <path v-for="pass in ['under', 'upper']" :key="pass" :class="pass" :d="`M0 ${level}H${view.room}`" />
    <g v-if="start" :transform="`translate(${start[0]} ${start[1]})`">
      <path class="under" d="M-11 0h22M0 -11v22" /><path class="upper" d="M-11 0h22M0 -11v22" />
      <text x="14" y="-8">start</text>
    </g>
  </g>
</template>

<style scoped>
.under { stroke: rgb(0 0 0 / 0.6); stroke-width: 3.2; fill: none; }
.upper { stroke: #fff; stroke-width: 1.3; fill: none; stroke-dasharray: 6 4; }
text { font: 600 12px var(--mono); fill: #fff; paint-order: stroke; stroke: rgb(0 0 0 / 0.75); stroke-width: 3.4px; }
</style>
