<script setup lang="ts">
import { computed } from 'vue'

import { onStage, type Point } from '../geometry'
import { theBench } from '../../useBench'

const { ledger, tools, view, round } = theBench()

function at(x: number, y: number): Point {
  const photo = ledger.page?.photo
  return view.stageOfSource([x * (photo?.width ?? 1), y * (photo?.height ?? 1)])
}
const pins = computed(() =>
  round.notes.flatMap((note, index) => (note.x == null || note.y == null || note.done_at ? [] : [{ note, number: index + 1, point: at(note.x, note.y) }])),
)
const pinned = computed(() => (round.pinAt ? view.stageOfSource(round.pinAt) : null))

function pin(event: PointerEvent) {
  if (event.button !== 0) return
  round.pinAt = view.sourceAt(...onStage(event))
  tools.tool = 'look'
}
</script>

<template>
  <g>
    <rect v-if="tools.tool === 'note'" class="ground" width="100%" height="100%" @pointerdown="pin" />
    <g v-for="{ note, number, point } in pins" :key="note.id" class="pin" :class="note.side">
      <title>{{ note.author }}: {{ note.text }}</title>
      <path :d="`M${point[0]} ${point[1]}l-7-9a9.5 9.5 0 1 1 14 0z`" />
      <text :x="point[0]" :y="point[1] - 12">{{ number }}</text>
    </g>
    <path v-if="pinned" class="new" :d="`M${pinned[0]} ${pinned[1]}l-7-9a9.5 9.5 0 1 1 14 0z`" />
  </g>
</template>

<style scoped>
.ground { fill: transparent; cursor: crosshair; }
.pin path, .new { fill: var(--paper); stroke: var(--ink); stroke-width: 1.4; }
.pin.desk path { fill: var(--short-ground); stroke: var(--short); }
.new { stroke-dasharray: 3 2; }
text { font: 600 11.5px var(--mono); text-anchor: middle; fill: var(--ink); }
</style>
