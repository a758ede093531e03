<script setup lang="ts">
import ColorPicker from 'primevue/colorpicker'
import InputText from 'primevue/inputtext'
import SelectButton from 'primevue/selectbutton'
import ToggleButton from 'primevue/togglebutton'
import { computed, onUnmounted, ref, watch } from 'vue'

import { capital } from '../../../common/words'
import type { EditorTrait } from '../../rooms/useDecks'
import type { Colour, Picked } from '../../types'
import { theBench } from '../../useBench'
import { colourOf } from './colours'
import { usePlace } from './usePlace'

/** A colour: one of the picture's own, or any; one of a few papers, where it is one of something that is laid on. */
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
/** The one that is drawn to and not yet let go of. */
const held = ref<Colour | null>(null)
const colour = computed(() => held.value ?? (step.value?.params?.[props.editor.param] as Colour | null | undefined) ?? props.editor.rest)
const paper = computed(() => PAPERS.find((one) => String(one.colour) === String(colour.value)) ?? null)
const picked = computed(() => colour.value && { r: colour.value[0], g: colour.value[1], b: colour.value[2] })

function stepWith(to: Colour) {
  const begins = step.value ? {} : props.editor.begins
  return ledger.stepFor(props.op, { ...begins, [props.editor.param]: to })
}
const paint = (to: Colour) => ledger.putStep(capital(props.editor.name), stepWith(to))
/** As the photo has it before light. */
async function takeFrom(at: Picked) {
  const found = await areas.colourAt(at)
  if (found) await paint(found)
}
const ENDS = ['pointerup', 'pointercancel'] as const
/** The picker tells of every place that it is drawn over: it is seen at once, and kept when it is let go of. */
function draw({ r, g, b }: { r: number; g: number; b: number }) {
  if (!held.value) for (const end of ENDS) addEventListener(end, letGo)
  held.value = [r, g, b]
  ledger.drag(stepWith(held.value))
}
async function letGo() {
  leave()
  const last = held.value
  if (last) await paint(last)
  if (held.value === last) held.value = null
}
function leave() {
  for (const end of ENDS) removeEventListener(end, letGo)
}
onUnmounted(leave)
/** As it is written, and while it is being written. */
const says = computed(() => colour.value?.join(' ') ?? '')
const written = ref('')
watch(says, (now) => (written.value = now), { immediate: true })
function write() {
  const to = colourOf(written.value)
  if (to && to.join(' ') !== says.value) void paint(to)
  else written.value = says.value
}
</script>

<template>
  <div class="colour" :class="{ few: !editor.rest }">
    <span>{{ editor.name }}</span>
    <div class="row">
      <SelectButton
        v-if="editor.rest" :model-value="paper" :options="PAPERS" option-label="name" data-key="name" :allow-empty="false" :aria-label="capital(editor.name)"
        @update:model-value="paint($event.colour)"
      >
        <template #option="{ option }"><i class="paper" :style="{ background: `rgb(${option.colour.join(' ')})` }"></i>{{ option.name }}</template>
      </SelectButton>
      <ColorPicker
        :class="{ none: !picked }" :model-value="picked ?? undefined" format="rgb" default-color="b06a4c" :pt="{ preview: { 'aria-label': 'Any colour' } }"
        @change="draw($event.value)"
      />
      <ToggleButton
        v-tooltip.top="'Pick it in the picture'" :model-value="asked === editor.param" on-label="in the picture" off-label="in the picture"
        @update:model-value="ask(editor.param, (at) => void takeFrom(at))"
      />
      <InputText
        v-model="written" v-tooltip.top="'Red, green and blue to 255, or #rrggbb'" class="number" placeholder="none yet"
        :aria-label="`${capital(editor.name)}, red green blue`" spellcheck="false" @change="write"
      />
    </div>
  </div>
</template>

<style scoped>
.colour { grid-column: span var(--colour-columns, 3); display: grid; gap: 3px; align-content: start; justify-items: start; }
.few { --colour-columns: 3; }
.row { display: flex; gap: 10px; align-items: center; white-space: nowrap; }
.paper { width: 14px; height: 14px; border: 1px solid var(--rule); border-radius: 2px; }
.number { width: 104px; }
.none :deep(input) { background: repeating-linear-gradient(-45deg, #fff 0 4px, var(--rule) 4px 5px) !important; }
</style>
