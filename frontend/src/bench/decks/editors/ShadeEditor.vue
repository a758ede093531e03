<script setup lang="ts">
import ToggleButton from 'primevue/togglebutton'

import Ruler from '../../../parts/Ruler.vue'
import { shownIn } from '../../../parts/scale'
import type { EditorTrait } from '../../rooms/useDecks'
import { theBench } from '../../useBench'
import { useNested } from './useNested'

/** The shadow that a piece throws: there or not, and its rulers. */
const props = defineProps<{ op: string; editor: EditorTrait }>()
const { ledger } = theBench()
const { now: shade, stepTo, withNumber } = useNested(props)

function turn(on: boolean) {
  // how soft it is, is left to the size of the photo
  void ledger.putStep(on ? 'Throw a shadow' : 'Throw no shadow', stepTo(on ? {} : null))
}
</script>

<template>
  <div class="shade">
    <ToggleButton
      v-tooltip.top="'Onto the ground that it stands on'" :model-value="Boolean(shade)" on-label="throws one" off-label="throws one"
      aria-label="Throws a shadow" @update:model-value="turn"
    />
    <template v-if="shade">
      <Ruler
        v-for="ruler in editor.rulers" :key="ruler.param" :ruler="ruler" :value="shownIn(ruler, shade) ?? ruler.rest"
        @drag="ledger.drag(withNumber(ruler, $event))" @settle="ledger.putStep(ruler.name, withNumber(ruler, $event))"
      />
    </template>
  </div>
</template>

<style scoped>
.shade {
  grid-column: 1 / -1; display: grid; grid-template-columns: repeat(auto-fill, minmax(120px, 1fr)); gap: 8px 14px; align-items: start; justify-items: start;
}
.shade > .ruler { width: 100%; }
</style>
