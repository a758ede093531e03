<script setup lang="ts">
import { computed } from 'vue'

import { theBench } from '../../useBench'
import { onStage } from '../geometry'

/** A square of the photo that is picked for its colour, source pixels. */
interface Square { x: number; y: number; size: number }

const { ledger, tools, frames, view } = theBench()
const cursor = computed(() => view.cursor)

const marks = computed(() =>
  frames.neutrals.map((mark) => {
    const [x, y] = view.stageOfSource([mark.x, mark.y])
    return { ...mark, sx: x, sy: y, half: Math.max(2, (mark.size * view.sourceScale) / 2) }
  }),
)
const half = computed(() => Math.max(3, (tools.pickSize * view.sourceScale) / 2))

function present(): Square[] {
  return ((ledger.stepOf('white_balance')?.params?.neutrals as Square[] | undefined) ?? []).slice()
}

async function pick(event: PointerEvent) {
  if (event.button !== 0 || !tools.picking) return
  const [x, y] = view.sourceAt(...onStage(event))
  const mark = { x, y, size: tools.pickSize }
  if (tools.tool === 'hue') await tools.addBand(mark)
  else await save([...present(), mark], 'Pick a neutral')
}
async function remove(index: number) {
  await save(present().filter((_, i) => i !== index), 'Unpin a neutral')
}
/** White is measured anew at all marks: temperature and tint are left out, so the server decides them. */
async function save(neutrals: Square[], summary: string) {
  const step = ledger.stepFor('white_balance', {})
  const params = neutrals.length ? { neutrals } : { ...step.params, neutrals: [] }
  await ledger.putStep(summary, { ...step, params, enabled: true })
}
</script>

<template>
  <g>
    <rect v-if="tools.picking" class="ground" width="100%" height="100%" @pointerdown="pick" />
    <g v-if="tools.picking && cursor" pointer-events="none">
      <rect class="square-under" :x="cursor.x - half" :y="cursor.y - half" :width="2 * half" :height="2 * half" />
      <rect class="square" :x="cursor.x - half" :y="cursor.y - half" :width="2 * half" :height="2 * half" />
    </g>
    <g
      v-for="(mark, index) in marks" :key="index" class="mark" role="button" tabindex="0" :aria-label="`Neutral, cast ${mark.cast}; Enter unpins it`"
      @pointerdown.stop="remove(index)" @keydown.enter.prevent="remove(index)"
    >
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
