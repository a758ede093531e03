<script setup lang="ts">
import { computed } from 'vue'

import Ruler from '../../../parts/Ruler.vue'
import { shownIn, valueOf } from '../../../parts/scale'
import type { EditorTrait, RulerTrait } from '../../rooms/useDecks'
import { theBench } from '../../useBench'

interface Family { hue: number; ruler: RulerTrait }
type Trim = Record<string, number> & { hue: number }

/** A ruler for each family of hue that is offered; a family at rest is left out of the step. */
const props = defineProps<{ op: string; editor: EditorTrait }>()
const { ledger } = theBench()
const step = computed(() => ledger.stepOf(props.op))
const trims = computed(() => (step.value?.params?.[props.editor.param] as Trim[] | undefined) ?? [])
const families = computed(() =>
  props.editor.items.flatMap((name, k) =>
    props.editor.rulers.map((ruler): Family => ({ hue: props.editor.places[k] ?? 0, ruler: { ...ruler, name } })),
  ),
)

function shown(hue: number, ruler: RulerTrait): number {
  return shownIn(ruler, trims.value.find((trim) => trim.hue === hue)) ?? ruler.rest
}
function trimmed(hue: number, ruler: RulerTrait, to: number) {
  const others = trims.value.filter((trim) => trim.hue !== hue)
  const own = to === ruler.rest ? [] : [{ hue, [ruler.param]: valueOf(ruler, to) }]
  return ledger.stepFor(props.op, { [props.editor.param]: [...others, ...own] })
}
</script>

<template>
  <Ruler
    v-for="{ hue, ruler } in families" :key="`${hue} ${ruler.param}`" :ruler="ruler" :value="shown(hue, ruler)" :disabled="!step"
    @drag="ledger.drag(trimmed(hue, ruler, $event))" @settle="ledger.putStep(`Trim ${ruler.name}`, trimmed(hue, ruler, $event))"
  />
</template>
