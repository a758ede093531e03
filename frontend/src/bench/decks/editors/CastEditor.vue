<script setup lang="ts">
import Button from 'primevue/button'
import ToggleButton from 'primevue/togglebutton'
import { computed } from 'vue'

import type { Step } from '../../../api/client'
import Ruler from '../../../parts/Ruler.vue'
import { shownIn, valueOf } from '../../../parts/scale'
import { castOf, type Cast } from '../../areas/cast'
import type { EditorTrait, RulerTrait } from '../../rooms/useDecks'
import { theBench } from '../../useBench'
import { usePlace } from './usePlace'

/** The way that a shadow falls: where the thing stands is picked in the picture and moved there; the rest are rulers too. */
const props = defineProps<{ op: string; editor: EditorTrait }>()
const { ledger } = theBench()
const { asked, ask } = usePlace()
const saved = computed(() => castOf(ledger.stepOf(props.op)))
const cast = computed(() => (ledger.draft?.op === props.op ? castOf(ledger.draft) : saved.value))

const step = (to: Cast | null) => ledger.stepFor(props.op, { [props.editor.param]: to })
const restOf = (param: keyof Cast) => props.editor.rulers.find((ruler) => ruler.param === param)?.rest ?? 0
/** A level line through the place that was picked, a fifth of the photo wide. */
function standAt({ x, y }: { x: number; y: number }) {
  const half = (ledger.page?.photo.width ?? 1000) / 10
  const ground: Cast['ground'] = [[x - half, y], [x + half, y]]
  void ledger.putStep('Where it stands', step({ angle: restOf('angle'), length: restOf('length'), ...saved.value, ground }))
}
const stand = () => ask(props.editor.param, standAt)
function withNumber(ruler: RulerTrait, shown: number): Step {
  return step({ ...(saved.value as Cast), [ruler.param]: valueOf(ruler, shown) })
}
</script>

<template>
  <div class="cast">
    <ToggleButton
      v-tooltip.top="'Click on the line where the thing stands on the ground'" :model-value="asked === editor.param"
      on-label="pick where it stands" off-label="pick where it stands" @update:model-value="stand()"
    />
    <template v-if="cast">
      <Ruler
        v-for="ruler in editor.rulers" :key="ruler.param" class="ruler" :ruler="ruler" :value="shownIn(ruler, { ...cast }) ?? ruler.rest"
        @drag="ledger.drag(withNumber(ruler, $event))" @settle="ledger.putStep(ruler.name, withNumber(ruler, $event))"
      />
      <Button severity="secondary" label="Not cast" @click="ledger.putStep('Not cast', step(null))" />
    </template>
  </div>
</template>

<style scoped>
.cast { grid-column: 1 / -1; display: flex; gap: 8px 18px; align-items: center; flex-wrap: wrap; }
.ruler { width: 156px; }
</style>
