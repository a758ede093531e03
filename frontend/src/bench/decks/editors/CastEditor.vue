<script setup lang="ts">
import Button from 'primevue/button'
import ToggleButton from 'primevue/togglebutton'

import Ruler from '../../../parts/Ruler.vue'
import { shownIn } from '../../../parts/scale'
import type { Cast } from '../../areas/cast'
import type { EditorTrait } from '../../rooms/useDecks'
import { theBench } from '../../useBench'
import { useNested } from './useNested'
import { usePlace } from './usePlace'

/** The way that a shadow falls: where the thing stands is picked in the picture and moved there; the rest are rulers too. */
const props = defineProps<{ op: string; editor: EditorTrait }>()
const { ledger } = theBench()
const { asked, ask } = usePlace()
const { saved, now: cast, stepTo, withNumber } = useNested(props)

const restOf = (param: keyof Cast) => props.editor.rulers.find((ruler) => ruler.param === param)?.rest ?? 0
/** A level line through the place that was picked, a fifth of the photo wide. */
function standAt({ x, y }: { x: number; y: number }) {
  const half = (ledger.page?.photo.width ?? 1000) / 10
  const ground: Cast['ground'] = [[x - half, y], [x + half, y]]
  void ledger.putStep('Where it stands', stepTo({ angle: restOf('angle'), length: restOf('length'), ...saved.value, ground }))
}
const stand = () => ask(props.editor.param, standAt)
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
      <Button severity="secondary" label="Not cast" @click="ledger.putStep('Not cast', stepTo(null))" />
    </template>
  </div>
</template>

<style scoped>
.cast { grid-column: 1 / -1; display: flex; gap: 8px 18px; align-items: center; flex-wrap: wrap; }
.ruler { width: 156px; }
</style>
