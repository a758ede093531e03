<script setup lang="ts">
import { computed } from 'vue'

import { capital } from '../../common/words'
import Ruler from '../../parts/Ruler.vue'
import { shownIn, valueOf } from '../../parts/scale'
import type { RulerTrait } from '../rooms/useDecks'
import { theBench } from '../useBench'

/** A ruler on one number of the one step of an operation; the step is made when the ruler first moves. */
const props = defineProps<{ op: string; ruler: RulerTrait }>()
const { ledger, decks } = theBench()

const present = computed(() => ledger.stepOf(props.op))
const value = computed(() => shownIn(props.ruler, present.value?.params) ?? props.ruler.rest)
const before = computed(() => shownIn(props.ruler, ledger.before(props.op)?.params) ?? props.ruler.rest)
const proposal = computed(() => shownIn(props.ruler, ledger.proposals[props.op]))

function step(to: number) {
  return ledger.stepFor(props.op, { [props.ruler.param]: valueOf(props.ruler, to) })
}
function settle(to: number) {
  void ledger.putStep(capital(props.ruler.name), step(to))
}
</script>

<template>
  <Ruler
    :ruler="ruler" :value="value" :before="before" :proposal="proposal" :disabled="!present && !decks.of(op)?.alone"
    @drag="ledger.drag(step($event))" @settle="settle"
  />
</template>
