<script setup lang="ts">
import Button from 'primevue/button'
import ProgressBar from 'primevue/progressbar'
import { computed } from 'vue'

import AreaSteps from './areas/AreaSteps.vue'
import CopySteps from './CopySteps.vue'
import StrengthBar from './StrengthBar.vue'
import type { StepView } from './types'
import { theBench } from './useBench'
import { useReorder } from './useReorder'

const { ledger, tools, frames, decks } = theBench()
const { inHand, press, move, drop, shift } = useReorder(ledger)

/** By station in the order of the tabs; inside one in the order in which they work. */
const ORDER = ['source', 'frame', 'balance', 'clean', 'pieces', 'areas', 'finish']
const steps = computed(() => [...ledger.steps].sort((a, b) => ORDER.indexOf(a.station) - ORDER.indexOf(b.station)))
const busy = (view: StepView) => frames.busy[view.step.id ?? '']
const looks = (view: StepView) => {
  const { step } = view
  return {
  active: tools.selected === step.id, off: step.enabled === false, held: inHand.value?.id === step.id,
  above: inHand.value?.before === step.id, area: step.op === 'area', piece: view.station === 'pieces',
  }
}
const tunable = (view: StepView) => Boolean(decks.of(view.step.op)?.tunable)

let dropped = false
function take(view: StepView) {
  if (!dropped) tools.open(view.step.id ?? '')
  dropped = false
}

function toggle(view: StepView) {
  const enabled = !(view.step.enabled ?? true)
  void ledger.putStep(`${view.title} ${enabled ? 'on' : 'off'}`, { ...view.step, enabled })
}

function settle(view: StepView, strength: number) {
  void ledger.putStep(`${view.title} strength`, { ...view.step, strength })
}
</script>

<template>
  <section class="steps" aria-label="Steps">
    <div class="top">
      <h2 class="heading">Steps</h2>
      <span class="number">{{ ledger.steps.length }}</span>
      <span class="travel">
        <CopySteps />
        <Button v-tooltip.top="'Ctrl Z'" link label="Undo" :disabled="!ledger.ledger?.can_undo" @click="ledger.travel('undo')" />
        <Button v-tooltip.top="'Ctrl Shift Z'" link label="Redo" :disabled="!ledger.ledger?.can_redo" @click="ledger.travel('redo')" />
      </span>
    </div>
    <p v-if="ledger.steps.length === 0" class="empty">None yet. The photo is as it came.</p>
    <ol>
      <template v-for="(view, index) in steps" :key="view.step.id">
      <li v-if="view.station !== steps[index - 1]?.station" class="station">{{ view.station }}</li>
      <li
        class="stub"
        :data-step="view.step.id"
        :class="looks(view)"
      >
        <button
          class="dot" type="button" role="switch" :aria-checked="view.step.enabled !== false" :aria-label="`${view.title} on`"
          @click="toggle(view)"
        >
          <i></i>
        </button>
        <button
          class="name" type="button"
          @pointerdown="press(view, $event)" @pointermove="move" @pointerup="dropped = drop()" @pointercancel="drop()" @click="take(view)"
          @keydown.alt.up.prevent="shift(view, -1)" @keydown.alt.down.prevent="shift(view, 1)"
        >
{{ view.title }}
</button>
        <ProgressBar v-if="busy(view) !== undefined" class="made" :value="100 * (busy(view) ?? 0)" :aria-label="`${view.title} is being made`" />
        <StrengthBar
          v-else-if="tunable(view)" :label="`${view.title} strength`" :strength="view.step.strength ?? 1"
          @drag="ledger.drag({ ...view.step, strength: $event })" @settle="settle(view, $event)"
        />
        <span v-else class="wide"></span>
        <button class="remove" type="button" :aria-label="`Remove ${view.title}`" @click="ledger.remove(view.step.id ?? '')">×</button>
      </li>
      <AreaSteps v-if="view.step.op === 'area' && tools.selected === view.step.id" :area="view.step" />
      </template>
    </ol>
  </section>
</template>

<style scoped>
.steps { display: flex; flex-direction: column; min-height: 120px; flex: 1; }
.top { display: flex; gap: 8px; align-items: center; padding: 5px 12px; }
.travel { display: flex; gap: 10px; margin-left: auto; }
.empty { padding: 2px 12px; color: var(--soft-ink); }
ol { margin: 0; padding: 0; list-style: none; overflow: auto; }
.stub {
  display: grid; grid-template-columns: 26px 1fr 44px 28px 24px; align-items: center; height: 24px; border-left: 3px solid transparent;
  padding-right: 2px;
}
.stub:hover { background: var(--sheet); }
.stub.active { background: var(--pale-fern); border-left-color: var(--fern); font-weight: 600; }
.stub.off .name { text-decoration: line-through; color: var(--soft-ink); }
.dot { height: 24px; border: 0; background: none; cursor: pointer; padding: 0; display: grid; place-items: center; }
.dot i { width: 10px; height: 10px; border-radius: 50%; background: var(--fern); border: 1.5px solid var(--fern); }
.off .dot i { background: none; }
.name {
  height: 24px; text-align: left; border: 0; background: none; padding: 0; cursor: pointer; overflow: hidden; text-overflow: ellipsis;
  white-space: nowrap; font-weight: inherit;
}
.station { padding: 3px 12px 1px; font-size: 12px; color: var(--soft-ink); border-top: 1px dashed var(--hairline); }
li.station:first-child { border-top: 0; }
.area { clip-path: polygon(0 0, 100% 0, 100% 100%, 0 100%, 0 75%, 6px 50%, 0 25%); }
.held { opacity: 0.5; }
.above { box-shadow: inset 0 2px var(--fern); }
.made { grid-column: span 2; width: 100%; height: 6px; }
.wide { grid-column: span 2; }
.remove { height: 24px; border: 0; background: none; cursor: pointer; padding: 0; visibility: hidden; font-size: 15px; line-height: 1; }
.stub:hover .remove, .stub:focus-within .remove, .stub.active .remove { visibility: visible; }
</style>
