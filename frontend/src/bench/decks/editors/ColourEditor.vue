<script setup lang="ts">
import ColorPicker from 'primevue/colorpicker'
import SelectButton from 'primevue/selectbutton'
import ToggleButton from 'primevue/togglebutton'
import { computed } from 'vue'

import { capital } from '../../../common/words'
import type { EditorTrait } from '../../rooms/useDecks'
import type { Colour, Picked } from '../../types'
import { theBench } from '../../useBench'
import { usePlace } from './usePlace'

/** A colour: one of a few papers, one of the picture's own, or any. */
const props = defineProps<{ op: string; editor: EditorTrait }>()
const { areas, ledger } = theBench()
const { asked, ask } = usePlace()
const PAPERS: { name: string; colour: Colour }[] = [
  { name: 'white', colour: [255, 255, 255] },
  { name: 'paper', colour: [244, 240, 230] },
  { name: 'grey', colour: [128, 128, 128] },
  { name: 'black', colour: [0, 0, 0] },
]
const step = computed(() => ledger.stepOf(props.op))
const colour = computed<Colour>(() => (step.value?.params?.[props.editor.param] as Colour | undefined) ?? [255, 255, 255])
const paper = computed(() => PAPERS.find((one) => String(one.colour) === String(colour.value)) ?? null)
const picked = computed(() => ({ r: colour.value[0], g: colour.value[1], b: colour.value[2] }))

function paint(to: Colour) {
  const begins = step.value ? {} : props.editor.begins
  void ledger.putStep(capital(props.editor.name), ledger.stepFor(props.op, { ...begins, [props.editor.param]: to }))
}
/** As the photo has it before light. */
async function takeFrom(at: Picked) {
  const found = await areas.colourAt(at)
  if (found) paint(found)
}
function pick({ r, g, b }: { r: number; g: number; b: number }) {
  paint([r, g, b])
}
</script>

<template>
  <div class="colour">
    <span>{{ editor.name }}</span>
    <div class="row">
      <SelectButton
        :model-value="paper" :options="PAPERS" data-key="name" :allow-empty="false" :aria-label="capital(editor.name)"
        @update:model-value="paint($event.colour)"
      >
        <template #option="{ option }"><i class="paper" :style="{ background: `rgb(${option.colour.join(' ')})` }"></i>{{ option.name }}</template>
      </SelectButton>
      <ColorPicker :model-value="picked" format="rgb" :pt="{ preview: { 'aria-label': 'Any colour' } }" @change="pick($event.value)" />
      <ToggleButton
        v-tooltip.top="'Pick it in the picture'" :model-value="asked === editor.param" on-label="in the picture" off-label="in the picture"
        @update:model-value="ask(editor.param, (at) => void takeFrom(at))"
      />
      <span class="number">{{ colour.join(' ') }}</span>
    </div>
  </div>
</template>

<style scoped>
.colour { grid-column: span var(--colour-columns, 3); display: grid; gap: 3px; align-content: start; justify-items: start; }
.row { display: flex; gap: 10px; align-items: center; white-space: nowrap; }
.paper { width: 14px; height: 14px; border: 1px solid var(--rule); border-radius: 2px; }
</style>
