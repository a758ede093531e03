<script setup lang="ts">
import Button from 'primevue/button'
import { computed, reactive } from 'vue'

import AreaSteps from './areas/AreaSteps.vue'
import CopySteps from './CopySteps.vue'
import { runsOf, type Run } from './runs'
import StepStub from './StepStub.vue'
import type { StepView } from './types'
import { theBench } from './useBench'
import { useReorder } from './useReorder'

const { ledger, tools, frames, decks } = theBench()
const { inHand, press, move, drop, shift } = useReorder(ledger)

/** By station in the order of the tabs; inside one in the order in which they work. */
const ORDER = ['source', 'frame', 'balance', 'clean', 'pieces', 'areas', 'finish']
const steps = computed(() => [...ledger.steps].sort((a, b) => ORDER.indexOf(a.station) - ORDER.indexOf(b.station)))
const runs = computed(() => runsOf(steps.value))
const stationOf = (run?: Run) => run?.steps[0]?.station
const busy = (view: StepView) => frames.busy[view.step.id ?? '']
const looks = (view: StepView) => {
  const { step } = view
  return {
    active: tools.selected === step.id, held: inHand.value?.id === step.id, above: inHand.value?.before === step.id,
    area: step.op === 'area', piece: view.station === 'pieces',
  }
}
const on = (view: StepView) => view.step.enabled !== false
const strength = (view: StepView) => (decks.of(view.step.op)?.tunable ? (view.step.strength ?? 1) : null)

/** Runs that are opened; of the others what is in hand or being made is shown. */
const opened = reactive(new Set<string>())
const isRun = (run: Run) => run.steps.length > 1
const shown = (run: Run) =>
  isRun(run) && !opened.has(run.key) ? run.steps.filter((view) => tools.selected === view.step.id || busy(view) !== undefined) : run.steps
const named = (run: Run) => `${run.title} × ${run.steps.length}`
function open(run: Run) {
  if (!opened.delete(run.key)) opened.add(run.key)
}

let dropped = false
function take(view: StepView) {
  if (!dropped) tools.open(view.step.id ?? '')
  dropped = false
}

function toggle(view: StepView) {
  void ledger.putStep(`${view.title} ${on(view) ? 'off' : 'on'}`, { ...view.step, enabled: !on(view) })
}

function settle(view: StepView, to: number) {
  void ledger.putStep(`${view.title} strength`, { ...view.step, strength: to })
}

/** All of a run at once, as one change. */
function putAll(run: Run, what: string, part: { enabled: boolean } | { strength: number }) {
  void ledger.change(`${named(run)} ${what}`, run.steps.map(({ step }) => ({ kind: 'put', step: { ...step, ...part } })))
}
function removeAll(run: Run) {
  void ledger.change(`Remove ${named(run)}`, run.steps.map(({ step }) => ({ kind: 'remove', id: step.id ?? '' })))
}
function toggleAll(run: Run) {
  const enabled = !run.steps.some(on)
  putAll(run, enabled ? 'on' : 'off', { enabled })
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
      <template v-for="(run, index) in runs" :key="run.key">
        <li v-if="stationOf(run) !== stationOf(runs[index - 1])" class="station">{{ stationOf(run) }}</li>
        <StepStub
          v-if="isRun(run)" class="run" :title="named(run)" :enabled="run.steps.some(on)"
          :strength="run.steps[0] ? strength(run.steps[0]) : null"
          @toggle="toggleAll(run)" @remove="removeAll(run)" @settle="putAll(run, 'strength', { strength: $event })"
        >
          <button class="name" type="button" :aria-expanded="opened.has(run.key)" @click="open(run)">
            {{ named(run) }} <i class="way">{{ opened.has(run.key) ? '▾' : '▸' }}</i>
          </button>
        </StepStub>
        <template v-for="view in shown(run)" :key="view.step.id">
          <StepStub
            :data-step="view.step.id" :class="{ ...looks(view), within: isRun(run) }" :title="view.title" :enabled="on(view)"
            :strength="strength(view)" :made="busy(view)"
            @toggle="toggle(view)" @remove="ledger.remove(view.step.id ?? '')"
            @drag="ledger.drag({ ...view.step, strength: $event })" @settle="settle(view, $event)"
          >
            <button
              class="name" type="button"
              @pointerdown="press(view, $event)" @pointermove="move" @pointerup="dropped = drop()" @pointercancel="drop()" @click="take(view)"
              @keydown.alt.up.prevent="shift(view, -1)" @keydown.alt.down.prevent="shift(view, 1)"
            >
              {{ view.title }}
            </button>
          </StepStub>
          <AreaSteps v-if="view.step.op === 'area' && tools.selected === view.step.id" :area="view.step" />
        </template>
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
.station { padding: 3px 12px 1px; font-size: 12px; color: var(--soft-ink); border-top: 1px dashed var(--hairline); }
li.station:first-child { border-top: 0; }
.area { clip-path: polygon(0 0, 100% 0, 100% 100%, 0 100%, 0 75%, 6px 50%, 0 25%); }
.piece { background: var(--sheet); clip-path: polygon(0 0, calc(100% - 9px) 0, 100% 9px, 100% 100%, 0 100%); }
.within { padding-left: 14px; }
.way { font-style: normal; color: var(--soft-ink); }
.held { opacity: 0.5; }
.above { box-shadow: inset 0 2px var(--fern); }
</style>
