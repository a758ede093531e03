<script setup lang="ts">
import { computed } from 'vue'

import type { Schemas, Step } from '../../api/client'
import Ruler from '../../parts/Ruler.vue'
import { logarithmic } from '../../parts/scale'
import { theBench } from '../useBench'

const bench = theBench()
const methods = [
  { name: 'dab', key: 'D', says: 'Click a small blemish. It is replaced from what lies around it.' },
  { name: 'heal', key: 'H', says: 'Paint along a mark. Drag the dotted source to take its texture from elsewhere.' },
] as const

/** The repair that is taken up; its numbers are changed, and the next one starts with them. */
const repair = computed(() => bench.steps.value.find((view) => view.step.id === bench.selected.value && view.station === 'clean')?.step ?? null)
const stroke = computed<Schemas['Stroke'] | null>(() => (repair.value?.mask?.kind === 'strokes' ? (repair.value.mask.strokes[0] ?? null) : null))
const size = computed(() => stroke.value?.size ?? bench.brush.value.size)
const softness = computed(() => (stroke.value ? 1 - (stroke.value.hardness ?? 0.7) : bench.brush.value.softness))
const strength = computed(() => repair.value?.strength ?? bench.brush.value.strength)
const says = computed(() => methods.find((method) => method.name === bench.tool.value)?.says ?? '')

function reshaped(step: Step, change: { size?: number; hardness?: number }): Step {
  if (step.mask?.kind !== 'strokes') return step
  return { ...step, mask: { kind: 'strokes', strokes: step.mask.strokes.map((one) => ({ ...one, ...change })) } }
}
function tune(kind: 'size' | 'softness' | 'strength', value: number, settle: boolean) {
  bench.brush.value[kind] = value
  if (!repair.value) return
  const step =
    kind === 'size'
      ? reshaped(repair.value, { size: value })
      : kind === 'softness'
        ? reshaped(repair.value, { hardness: Math.round((1 - value) * 100) / 100 })
        : { ...repair.value, strength: value }
  if (settle) void bench.putStep(`Repair ${kind}`, step)
  else bench.dragStep(step)
}
function choose(name: 'dab' | 'heal') {
  bench.tool.value = name
  bench.selected.value = null
}
</script>

<template>
  <div class="deck">
    <div class="side">
      <div class="methods" role="group" aria-label="Method">
        <button v-for="method in methods" :key="method.name" class="plain" type="button" :aria-pressed="bench.tool.value === method.name" @click="choose(method.name)">
          {{ method.name }} <span class="key">{{ method.key }}</span>
        </button>
      </div>
      <p class="small soft">{{ says }}</p>
      <p v-if="repair" class="small taken"><b>{{ repair.op }}</b> taken up: the rulers change it. <button class="link" type="button" @click="bench.remove(repair.id ?? '')">Remove it</button></p>
    </div>
    <div class="rulers">
      <Ruler name="size" :value="size" :low="2" :high="2000" :rest="60" :step="1" unit="px" :scale="logarithmic(2, 2000)" @drag="tune('size', $event, false)" @settle="tune('size', $event, true)" />
      <Ruler name="softness" :value="100 * softness" :low="0" :high="100" :rest="30" unit="%" @drag="tune('softness', $event / 100, false)" @settle="tune('softness', $event / 100, true)" />
      <Ruler name="strength" :value="100 * strength" :low="5" :high="100" :rest="100" unit="%" @drag="tune('strength', $event / 100, false)" @settle="tune('strength', $event / 100, true)" />
    </div>
    <p class="small soft keys">Size: <kbd>,</kbd> <kbd>.</kbd> or <kbd>Shift</kbd> + wheel · pan: <kbd>Space</kbd> or middle button · zoom: wheel</p>
  </div>
</template>

<style scoped>
.deck { display: grid; grid-template-columns: 262px minmax(0, 1fr); grid-template-rows: 1fr auto; height: 100%; }
.side { grid-row: 1 / 3; display: grid; gap: 8px; align-content: start; padding: 12px 14px; border-right: 1px solid var(--hairline); }
.methods { display: flex; gap: 6px; }
.methods .plain { flex: 1; }
.key, kbd { font: 500 12px var(--mono); color: var(--soft-ink); }
.rulers { display: grid; grid-template-columns: repeat(auto-fill, minmax(270px, 1fr)); gap: 14px 32px; align-content: start; padding: 14px 20px; }
.keys { padding: 0 20px 10px; }
</style>
