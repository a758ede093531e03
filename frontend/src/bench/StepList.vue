<script setup lang="ts">
import { computed, ref } from 'vue'

import type { Schemas } from '../api/client'
import { clamp } from '../parts/scale'
import { panelOf } from './panels'
import StepsMenu from './StepsMenu.vue'
import { theBench, type StationName } from './useBench'
import { useReorder } from './useReorder'

type StepView = Schemas['StepView']

const bench = theBench()
const { inHand, press, move, drop, shift } = useReorder(bench)
const dragging = ref<{ id: string; strength: number } | null>(null)

/** By station in the order of the tabs; inside one in the order in which they work. */
const ORDER = ['source', 'frame', 'balance', 'clean', 'finish']
const steps = computed(() => [...bench.steps.value].sort((a, b) => ORDER.indexOf(a.station) - ORDER.indexOf(b.station)))

function titleOf(view: StepView): string {
  const params = view.step.params as Record<string, unknown>
  if (view.step.op === 'specks') return `${view.title} · ${(params.spots as { accepted: boolean }[]).filter((one) => one.accepted).length}`
  if (view.step.op === 'crop' && params.ratio && params.ratio !== 'free') return `${view.title} ${String(params.ratio)}`
  return view.title
}

/** A frame or a border has no half: only light and repairs are taken in part. */
function tunable(view: StepView): boolean {
  return view.station !== 'frame' && !['border', 'fence', 'avoid'].includes(view.step.op)
}

function pick(view: StepView) {
  bench.station.value = view.station === 'source' ? 'balance' : (view.station as StationName)
  const panel = panelOf(view.step.op)
  if (panel) bench.panel.value = panel
  // the station's own tool is set first; then the step is taken up
  setTimeout(() => {
    bench.selected.value = view.step.id ?? null
    if (view.station === 'clean') bench.takeUpRepair(view.step.id ?? '')
  })
}

let dropped = false
function take(view: StepView) {
  if (!dropped) pick(view)
  dropped = false
}

function toggle(view: StepView) {
  const enabled = !(view.step.enabled ?? true)
  void bench.putStep(`${view.title} ${enabled ? 'on' : 'off'}`, { ...view.step, enabled })
}

function strengthAt(event: PointerEvent): number {
  const box = (event.currentTarget as HTMLElement).getBoundingClientRect()
  return Math.round(clamp((event.clientX - box.left) / box.width, 0, 1) * 100) / 100
}
function drag(view: StepView, event: PointerEvent, starts: boolean) {
  if (starts) (event.currentTarget as HTMLElement).setPointerCapture(event.pointerId)
  else if (!dragging.value || dragging.value.id !== view.step.id) return
  const strength = strengthAt(event)
  dragging.value = { id: view.step.id ?? '', strength }
  bench.dragStep({ ...view.step, strength })
}
function settle(view: StepView, strength = dragging.value?.strength) {
  dragging.value = null
  if (strength !== undefined) void bench.putStep(`${view.title} strength`, { ...view.step, strength: clamp(strength, 0, 1) })
}
function strengthOf(view: StepView): number {
  const now = dragging.value
  return now && now.id === view.step.id ? now.strength : (view.step.strength ?? 1)
}
</script>

<template>
  <section class="steps" aria-label="Steps">
    <div class="top">
      <h2 class="heading">Steps</h2>
      <span class="number">{{ bench.steps.value.length }}</span>
      <span class="travel">
        <StepsMenu />
        <button class="link" type="button" :disabled="!bench.ledger.value?.can_undo" title="Ctrl Z" @click="bench.travel('undo')">Undo</button>
        <button class="link" type="button" :disabled="!bench.ledger.value?.can_redo" title="Ctrl Shift Z" @click="bench.travel('redo')">Redo</button>
      </span>
    </div>
    <p v-if="bench.steps.value.length === 0" class="empty">None yet. The photo is as it came.</p>
    <ol>
      <template v-for="(view, index) in steps" :key="view.step.id">
      <li v-if="view.station !== steps[index - 1]?.station" class="station">{{ view.station }}</li>
      <li
        class="stub"
        :data-step="view.step.id"
        :class="{ active: bench.selected.value === view.step.id, off: view.step.enabled === false, held: inHand?.id === view.step.id, above: !!inHand && inHand.before === view.step.id }"
      >
        <button class="dot" type="button" role="switch" :aria-checked="view.step.enabled !== false" :aria-label="`${view.title} on`" @click="toggle(view)"><i></i></button>
        <button
          class="name" type="button" title="Drag it, or Alt and an arrow key, to another place in its station"
          @pointerdown="press(view, $event)" @pointermove="move" @pointerup="dropped = drop()" @pointercancel="drop()" @click="take(view)"
          @keydown.alt.up.prevent.stop="shift(view, -1)" @keydown.alt.down.prevent.stop="shift(view, 1)"
        >
{{ titleOf(view) }}
</button>
        <template v-if="bench.clean.busy.value[view.step.id ?? ''] !== undefined">
          <progress class="made" :value="bench.clean.busy.value[view.step.id ?? '']" :aria-label="`${view.title} is being made`"></progress>
        </template>
        <template v-else-if="tunable(view)">
          <span
            class="bar"
            role="slider"
            tabindex="0"
            :aria-label="`${view.title} strength`"
            aria-valuemin="0"
            aria-valuemax="100"
            :aria-valuenow="Math.round(100 * strengthOf(view))"
            @pointerdown="drag(view, $event, true)"
            @pointermove="drag(view, $event, false)"
            @pointerup="settle(view)"
            @keydown.left.prevent="settle(view, strengthOf(view) - 0.05)"
            @keydown.right.prevent="settle(view, strengthOf(view) + 0.05)"
          ><i :style="{ width: `${100 * strengthOf(view)}%` }"></i></span>
          <span class="number strength">{{ Math.round(100 * strengthOf(view)) }}</span>
        </template>
        <span v-else class="wide"></span>
        <button class="remove" type="button" :aria-label="`Remove ${view.title}`" title="Remove" @click="bench.remove(view.step.id ?? '')">×</button>
      </li>
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
.stub { display: grid; grid-template-columns: 26px 1fr 44px 28px 18px; align-items: center; height: 24px; border-left: 3px solid transparent; padding-right: 6px; }
.stub:hover { background: var(--sheet); }
.stub.active { background: var(--pale-fern); border-left-color: var(--fern); font-weight: 600; }
.stub.off .name { text-decoration: line-through; color: var(--soft-ink); }
.dot { height: 24px; border: 0; background: none; cursor: pointer; padding: 0; display: grid; place-items: center; }
.dot i { width: 10px; height: 10px; border-radius: 50%; background: var(--fern); border: 1.5px solid var(--fern); }
.off .dot i { background: none; }
.name { text-align: left; border: 0; background: none; padding: 0; cursor: pointer; overflow: hidden; text-overflow: ellipsis; white-space: nowrap; font-weight: inherit; }
.station { padding: 3px 12px 1px; font-size: 12px; color: var(--soft-ink); border-top: 1px dashed var(--hairline); }
li.station:first-child { border-top: 0; }
.held { opacity: 0.5; }
.above { box-shadow: inset 0 2px var(--fern); }
.bar { height: 16px; padding: 6px 0; cursor: ew-resize; touch-action: none; background: linear-gradient(var(--hairline), var(--hairline)) center / 100% 4px no-repeat; }
.bar i { display: block; height: 4px; background: var(--soft-ink); border-radius: 2px; }
.made { grid-column: span 2; width: 100%; height: 6px; accent-color: var(--fern); }
.strength { text-align: right; font-weight: 500; font-size: 12px; }
.wide { grid-column: span 2; }
.remove { border: 0; background: none; cursor: pointer; padding: 0; visibility: hidden; font-size: 15px; line-height: 1; }
.stub:hover .remove, .stub:focus-within .remove, .stub.active .remove { visibility: visible; }
</style>
