<script setup lang="ts">
import { computed } from 'vue'

import Ruler from '../../parts/Ruler.vue'
import { shownOf, valueOf } from '../../parts/scale'
import type { RulerTrait } from '../rooms/useDecks'
import { theBench } from '../useBench'

/** A ruler on one number of the one step of an operation; the step is made when the ruler first moves. */
const props = defineProps<{ op: string; ruler: RulerTrait }>()
const { ledger, decks } = theBench()

function shown(params: Record<string, unknown> | undefined): number | undefined {
  const value = params?.[props.ruler.param]
  return typeof value === 'number' ? shownOf(props.ruler, value) : undefined
}
const present = computed(() => ledger.stepOf(props.op))
const value = computed(() => shown(present.value?.params) ?? props.ruler.rest)
const before = computed(() => shown(ledger.before(props.op)?.params) ?? props.ruler.rest)
const proposal = computed(() => shown(ledger.proposals[props.op]))

function step(to: number) {
  return ledger.stepFor(props.op, { [props.ruler.param]: valueOf(props.ruler, to) })
}
function settle(to: number) {
  void ledger.putStep(props.ruler.name[0]?.toUpperCase() + props.ruler.name.slice(1), step(to))
}
</script>

<template>
  <Ruler
    :ruler="ruler" :value="value" :before="before" :proposal="proposal" :disabled="!present && !decks.of(op)?.alone"
    @drag="ledger.drag(step($event))" @settle="settle"
  />
</template>
