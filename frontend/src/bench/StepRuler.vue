<script setup lang="ts">
import { computed } from 'vue'

import Ruler from '../parts/Ruler.vue'
import type { Scale } from '../parts/scale'
import { theBench } from './useBench'

/** A ruler on one number of one step; the step is made when the ruler first moves. */
const props = withDefaults(
  defineProps<{
    op: string
    param: string
    name: string
    low: number
    high: number
    rest?: number
    by?: number
    digits?: number
    unit?: string
    signed?: boolean
    ends?: [string, string]
    scale?: Scale
    /** Numbers of the same step that go along when it is made. */
    along?: Record<string, unknown>
    /** Only once its step is there: the step needs more than numbers. */
    present?: boolean
  }>(),
  { rest: 0, by: 1, digits: 0, unit: '', signed: false, ends: undefined, scale: undefined, along: undefined, present: false },
)
const bench = theBench()

function number(params: Record<string, unknown> | undefined): number | undefined {
  const value = params?.[props.param]
  return typeof value === 'number' ? value : undefined
}
const value = computed(() => number(bench.stepOf(props.op)?.params) ?? props.rest)
const before = computed(() => number(bench.before(props.op)?.params) ?? props.rest)
const proposal = computed(() => bench.proposals.value[props.op]?.[props.param])

function step(to: number) {
  return bench.stepFor(props.op, { ...props.along, [props.param]: to })
}
function settle(to: number) {
  void bench.putStep(props.name[0]?.toUpperCase() + props.name.slice(1), step(to))
}
</script>

<template>
  <Ruler
    :name="name" :value="value" :low="low" :high="high" :rest="rest" :step="by" :digits="digits" :unit="unit" :signed="signed" :scale="scale"
    :before="before" :proposal="proposal" :ends="ends" :disabled="props.present && !bench.stepOf(op)" @drag="bench.dragStep(step($event))" @settle="settle"
  />
</template>
