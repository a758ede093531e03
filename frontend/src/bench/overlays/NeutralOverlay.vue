<script setup lang="ts">
import { computed } from 'vue'

import { theBench, type Place } from '../useBench'

const props = defineProps<{ cursor: { x: number; y: number } | null }>()
const bench = theBench()

const marks = computed(() =>
  bench.neutrals.value.map((mark) => {
    const [x, y] = bench.stageOfSource([mark.x, mark.y])
    return { ...mark, sx: x, sy: y, half: Math.max(2, (mark.size * bench.sourceScale.value) / 2) }
  }),
)
const picking = computed(() => bench.tool.value === 'neutral' || bench.tool.value === 'hue')
const half = computed(() => Math.max(3, (bench.pickSize.value * bench.sourceScale.value) / 2))

function present(): Place[] {
  return ((bench.stepOf('white_balance')?.params?.neutrals as Place[] | undefined) ?? []).slice()
}

async function pick(event: PointerEvent) {
  if (event.button !== 0 || !picking.value) return
  const box = (event.currentTarget as SVGElement).getBoundingClientRect()
  const [x, y] = bench.sourceAt(event.clientX - box.left, event.clientY - box.top)
  const mark = { x, y, size: bench.pickSize.value }
  if (bench.tool.value === 'hue') await bench.addBand(mark)
  else await save([...present(), mark], 'Pick a neutral')
}
async function remove(index: number) {
  await save(present().filter((_, i) => i !== index), 'Unpin a neutral')
}
/** White is measured anew at all marks: temperature and tint are left out, so the server decides them. */
async function save(neutrals: Place[], summary: string) {
  const step = bench.stepFor('white_balance', {})
  const params = neutrals.length ? { neutrals } : { ...step.params, neutrals: [] }
  await bench.putStep(summary, { ...step, params, enabled: true })
}
</script>

<template>
  <g>
    <rect v-if="picking" class="ground" width="100%" height="100%" @pointerdown="pick" />
    <g v-if="picking && props.cursor" pointer-events="none">
      <rect class="square-under" :x="props.cursor.x - half" :y="props.cursor.y - half" :width="2 * half" :height="2 * half" />
      <rect class="square" :x="props.cursor.x - half" :y="props.cursor.y - half" :width="2 * half" :height="2 * half" />
    </g>
    <g v-for="(mark, index) in marks" :key="index" class="mark" role="button" tabindex="0" :aria-label="`Neutral, cast ${mark.cast}; Enter unpins it`" @pointerdown.stop="remove(index)" @keydown.enter="remove(index)">
      <title>Click to unpin</title>
      <circle class="hit" :cx="mark.sx" :cy="mark.sy" r="13" />
      <g v-for="pass in ['under', 'upper']" :key="pass" :class="pass" fill="none">
        <circle :cx="mark.sx" :cy="mark.sy" r="9" />
        <path :d="`M${mark.sx - 6} ${mark.sy}h12M${mark.sx} ${mark.sy - 6}v12`" />
      </g>
      <text :x="mark.sx + 15" :y="mark.sy + 4">ΔE {{ mark.cast.toFixed(1) }}</text>
    </g>
  </g>
</template>

<style scoped>
.ground { fill: transparent; cursor: crosshair; }
.hit { fill: transparent; cursor: pointer; }
.under { stroke: rgb(0 0 0 / 0.65); stroke-width: 3.4; }
.upper { stroke: #fff; stroke-width: 1.3; }
.square-under { fill: none; stroke: rgb(0 0 0 / 0.65); stroke-width: 3; }
.square { fill: none; stroke: #fff; stroke-width: 1.2; }
text { font: 600 12.5px var(--mono); fill: #fff; paint-order: stroke; stroke: rgb(0 0 0 / 0.75); stroke-width: 3.4px; pointer-events: none; }
.mark:focus-visible { outline: none; }
.mark:focus-visible .upper { stroke: var(--pale-fern); stroke-width: 2.4; }
</style>
