<script setup lang="ts">
import Checkbox from 'primevue/checkbox'
import Select from 'primevue/select'
import SelectButton from 'primevue/selectbutton'
import ToggleButton from 'primevue/togglebutton'
import { computed, type Component } from 'vue'

import type { Control } from '../rooms/useDecks'
import { theBench } from '../useBench'
import BandsEditor from './editors/BandsEditor.vue'
import CastEditor from './editors/CastEditor.vue'
import ColourEditor from './editors/ColourEditor.vue'
import CurveEditor from './editors/CurveEditor.vue'
import FrameChoice from './editors/FrameChoice.vue'
import FramesEditor from './editors/FramesEditor.vue'
import PlacesEditor from './editors/PlacesEditor.vue'
import ShadeEditor from './editors/ShadeEditor.vue'
import TrimsEditor from './editors/TrimsEditor.vue'
import StepRuler from './StepRuler.vue'

/** One control of an operation, drawn from what is declared of it. */
const props = defineProps<{ op: string; control: Control }>()
const { ledger, decks } = theBench()

/** More words than these go into a list that opens; these take little room. */
const IN_A_ROW = 8
const FEW = 3
const EDITORS: Record<string, Component> = {
  curve: CurveEditor, bands: BandsEditor, trims: TrimsEditor, frames: FramesEditor, frame: FrameChoice, colour: ColourEditor,
  places: PlacesEditor, cast: CastEditor, shade: ShadeEditor,
}
const title = computed(() => decks.of(props.op)?.title ?? props.op)
const step = computed(() => ledger.stepOf(props.op))
const held = computed(() => step.value?.params?.[props.control.param])

/** The word that is chosen; none while there is no step. */
const word = computed(() => (props.control.kind === 'choice' && step.value ? String(held.value ?? props.control.rest) : null))
function choose(to: string | null) {
  if (props.control.kind !== 'choice') return
  if (to === null) return void (step.value && ledger.remove(step.value.id ?? ''))
  const begins = step.value ? {} : (props.control.begins ?? {})
  void ledger.putStep(title.value, ledger.stepFor(props.op, { ...begins, [props.control.param]: to }))
}
function turn(to: boolean) {
  void ledger.putStep(title.value, ledger.stepFor(props.op, { [props.control.param]: to }))
}
function toggle(to: boolean) {
  if (to) void ledger.putStep(title.value, ledger.stepFor(props.op, {}))
  else if (step.value) void ledger.remove(step.value.id ?? '')
}
</script>

<template>
  <StepRuler v-if="control.kind === 'ruler'" :op="op" :ruler="control" />
  <div v-else-if="control.kind === 'choice'" class="field" :class="{ wide: control.options.length <= IN_A_ROW, few: control.options.length <= FEW }">
    <span :id="`${op}-${control.param}`">{{ control.name }}</span>
    <SelectButton
      v-if="control.options.length <= IN_A_ROW" :model-value="word" :options="control.options" :allow-empty="control.begins !== null"
      :aria-labelledby="`${op}-${control.param}`" @update:model-value="choose"
    />
    <Select
      v-else :model-value="word" :options="control.options" :placeholder="control.rest" :aria-labelledby="`${op}-${control.param}`"
      @update:model-value="choose"
    />
  </div>
  <label v-else-if="control.kind === 'switch'" class="choice">
    <Checkbox binary :model-value="Boolean(held ?? control.rest)" :disabled="!step" @update:model-value="turn" /> {{ control.name }}
  </label>
  <div v-else-if="control.kind === 'presence'" class="field">
    <ToggleButton :model-value="Boolean(step)" :on-label="control.name" :off-label="control.name" @update:model-value="toggle" />
  </div>
  <component :is="EDITORS[control.kind]" v-else :op="op" :editor="control" />
</template>

<style scoped>
.field { display: grid; gap: 3px; align-content: start; justify-items: start; min-height: 44px; min-width: 0; }
.wide { grid-column: 1 / -1; display: flex; gap: 10px; align-items: center; min-height: 30px; }
</style>
