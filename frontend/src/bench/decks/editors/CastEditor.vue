<script setup lang="ts">
import Button from 'primevue/button'
import ToggleButton from 'primevue/togglebutton'
import { computed } from 'vue'

import Ruler from '../../../parts/Ruler.vue'
import { shownIn, valueOf } from '../../../parts/scale'
import type { EditorTrait, RulerTrait } from '../../rooms/useDecks'
import { theBench } from '../../useBench'
import { usePlace } from './usePlace'

/** The way that a shadow falls: where the thing stands is picked in the picture, the rest are rulers. */
const props = defineProps<{ op: string; editor: EditorTrait }>()
const { ledger } = theBench()
const { asked, ask } = usePlace()
const cast = computed(() => ledger.stepOf(props.op)?.params?.[props.editor.param] as Record<string, number> | null | undefined)

const step = (to: Record<string, number> | null) => ledger.stepFor(props.op, { [props.editor.param]: to })
const stand = () => ask(props.editor.param, ({ y }) => void ledger.putStep('Where it stands', step({ ...cast.value, ground: y })))
const withNumber = (ruler: RulerTrait, shown: number) => step({ ...cast.value, ground: cast.value?.ground ?? 0, [ruler.param]: valueOf(ruler, shown) })
</script>

<template>
  <div class="cast">
    <ToggleButton
      v-tooltip.top="'Click on the line where the thing stands on the ground'" :model-value="asked === editor.param"
      on-label="pick where it stands" off-label="pick where it stands" @update:model-value="stand()"
    />
    <template v-if="cast">
      <Ruler
        v-for="ruler in editor.rulers" :key="ruler.param" class="ruler" :ruler="ruler" :value="shownIn(ruler, cast) ?? ruler.rest"
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
