<script setup lang="ts">
import { computed, ref } from 'vue'

import { onStage, type Point } from '../geometry'
import { theBench } from '../../useBench'

const { ledger, tools, view } = theBench()
const line = ref<{ from: Point; to: Point } | null>(null)

function start(event: PointerEvent) {
  if (event.button !== 0) return
  ;(event.currentTarget as SVGElement).setPointerCapture(event.pointerId)
  line.value = { from: onStage(event), to: onStage(event) }
}
function move(event: PointerEvent) {
  if (line.value) line.value = { from: line.value.from, to: onStage(event) }
}
const length = computed(() => (line.value ? Math.hypot(line.value.to[0] - line.value.from[0], line.value.to[1] - line.value.from[1]) : 0))

async function drop() {
  const drawn = line.value
  const enough = length.value > 20
  line.value = null
  if (!drawn || !enough) return
  const points = [view.sourceAt(...drawn.from), view.sourceAt(...drawn.to)]
  const step = ledger.stepFor('straighten', {})
  const saved = await ledger.putStep('Straighten by a line', { ...step, params: { line: points } })
  if (saved) tools.tool = 'crop'
}
</script>

<template>
  <g>
    <rect class="ground" width="100%" height="100%" @pointerdown="start" @pointermove="move" @pointerup="drop" @pointercancel="line = null" />
    <text v-if="!line" class="hint" :x="view.stage.width / 2" y="30">Draw along something that should be level or upright</text>
    <g v-else pointer-events="none">
      <line class="under" :x1="line.from[0]" :y1="line.from[1]" :x2="line.to[0]" :y2="line.to[1]" />
      <line class="upper" :x1="line.from[0]" :y1="line.from[1]" :x2="line.to[0]" :y2="line.to[1]" />
      <circle v-for="(end, index) in [line.from, line.to]" :key="index" class="end" :cx="end[0]" :cy="end[1]" r="4" />
    </g>
  </g>
</template>

<style scoped>
.ground { fill: transparent; cursor: crosshair; }
.under { stroke: rgb(0 0 0 / 0.6); stroke-width: 3.6; }
.upper { stroke: #fff; stroke-width: 1.4; }
.end { fill: #fff; stroke: #1d211f; }
.hint {
  font: 600 13px var(--text); fill: #fff; text-anchor: middle; paint-order: stroke; stroke: rgb(0 0 0 / 0.75); stroke-width: 4px;
  pointer-events: none;
}
</style>
