<script setup lang="ts">
import ColorPicker from 'primevue/colorpicker'
import SelectButton from 'primevue/selectbutton'
import ToggleButton from 'primevue/togglebutton'
import { computed, onBeforeUnmount } from 'vue'

import { api, taken, type Schemas } from '../../../api/client'
import { capital } from '../../../common/words'
import type { EditorTrait } from '../../rooms/useDecks'
import { theBench } from '../../useBench'

type Colour = [number, number, number]

/** A colour: one of a few papers, one of the picture's own, or any. */
const props = defineProps<{ op: string; editor: EditorTrait }>()
const { ledger, tools } = theBench()
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
function fromPicture() {
  if (tools.place) return void (tools.place = null)
  tools.place = {
    item: props.editor.param,
    take: async (query) => {
      const found = taken(await api.GET('/api/photos/{photo}/colour', { params: { path: { photo: ledger.photo }, query } }))
      paint((found as Schemas['ColourView']).colour as Colour)
    },
  }
}
onBeforeUnmount(() => (tools.place = null))
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
        v-tooltip.top="'Pick it in the picture'" :model-value="tools.place?.item === editor.param" on-label="in the picture" off-label="in the picture"
        @update:model-value="fromPicture()"
      />
      <span class="number">{{ colour.join(' ') }}</span>
    </div>
  </div>
</template>

<style scoped>
.colour { grid-column: span 2; display: grid; gap: 3px; align-content: start; justify-items: start; }
.row { display: flex; gap: 10px; align-items: center; }
.paper { width: 14px; height: 14px; border: 1px solid var(--rule); border-radius: 2px; }
</style>
