<script setup lang="ts">
import { computed } from 'vue'

import { castOf, fallenTo, midOf, tipOf } from '../../areas/cast'
import { pathOf, round } from '../../clean/shapes'
import { theBench } from '../../useBench'
import type { Point } from '../geometry'
import PlaceHandles, { type Handle } from './PlaceHandles.vue'

/** How a shadow falls, like a dial laid on the ground: the line where the thing stands, and a pointer along the shadow. */
const { areas, ledger, view } = theBench()
const cast = computed(() => castOf(areas.current))
const handles = computed<Handle[]>(() =>
  cast.value
    ? [
        { name: 'left', says: 'The ground line, left', at: cast.value.ground[0] },
        { name: 'right', says: 'The ground line, right', at: cast.value.ground[1] },
        { name: 'tip', says: 'Where the shadow falls', at: tipOf(cast.value) },
      ]
    : [],
)
const lines = computed(() => {
  if (!cast.value) return ''
  const stage = (...points: Point[]) => pathOf(points.map(view.stageOfSource))
  return stage(...cast.value.ground) + stage(midOf(cast.value), tipOf(cast.value))
})

function moved(name: string, to: Point) {
  const [now, step] = [cast.value, areas.area]
  if (!now || !step) return null
  const at: Point = [round(to[0]), round(to[1])]
  const [left, right] = now.ground
  const next = name === 'tip' ? { ...now, ...fallenTo(now, at) } : { ...now, ground: name === 'left' ? [at, right] : [left, at] }
  return { ...step, params: { ...step.params, cast: next } }
}
function drag(name: string, to: Point) {
  const step = moved(name, to)
  if (step) ledger.drag(step)
}
function settle(name: string, to: Point) {
  const step = moved(name, to)
  if (step) void ledger.putStep('Where the shadow falls', step)
}
</script>

<template>
  <g v-if="cast">
    <g fill="none" pointer-events="none"><path class="dark" :d="lines" /><path class="light" :d="lines" /></g>
    <PlaceHandles :handles="handles" @drag="drag" @settle="settle" />
  </g>
</template>

<style scoped>
.dark { stroke: #20201e; stroke-width: 3; }
.light { stroke: #faf9f5; stroke-width: 1; }
</style>
