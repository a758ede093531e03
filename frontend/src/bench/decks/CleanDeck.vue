<script setup lang="ts">
import { computed } from 'vue'

import type { Schemas, Step } from '../../api/client'
import Ruler from '../../parts/Ruler.vue'
import { logarithmic } from '../../parts/scale'
import { LIMITS, METHODS, methodOf, SWITCHABLE } from '../clean/methods'
import { OUTLINES } from '../clean/useClean'
import { theBench } from '../useBench'
import SourceView from './clean/SourceView.vue'
import SpecksPanel from './clean/SpecksPanel.vue'
import TakesStrip from './clean/TakesStrip.vue'

const bench = theBench()
const clean = bench.clean

/** The repair that is taken up; its numbers are changed, and the next one starts with them. */
const repair = clean.repair
const stroke = computed<Schemas['Stroke'] | null>(() => (repair.value?.mask?.kind === 'strokes' ? (repair.value.mask.strokes[0] ?? null) : null))
const outline = computed(() => (repair.value?.mask?.kind === 'outline' ? repair.value.mask : null))
const method = computed(() => methodOf(repair.value?.op ?? bench.tool.value))
const size = computed(() => stroke.value?.size ?? clean.brush.value.size)
const softness = computed(() => (stroke.value ? 1 - (stroke.value.hardness ?? 0.7) : clean.brush.value.softness))
const strength = computed(() => repair.value?.strength ?? clean.brush.value.strength)
const feather = computed(() => outline.value?.feather ?? clean.brush.value.feather)
const tipped = computed(() => method.value?.gesture === 'stroke' || method.value?.gesture === 'click' || method.value?.name === 'unthread')

type Shape = Partial<Pick<Schemas['Stroke'], 'size' | 'hardness' | 'flow' | 'spacing' | 'roundness' | 'angle'>>
function reshaped(step: Step, change: Shape): Step {
  if (step.mask?.kind !== 'strokes') return step
  return { ...step, mask: { kind: 'strokes', strokes: step.mask.strokes.map((one) => ({ ...one, ...change })) } }
}
function put(summary: string, step: Step, settle: boolean) {
  if (settle) void bench.putStep(summary, step)
  else bench.dragStep(step)
}
type Number = 'size' | 'softness' | 'strength' | 'flow' | 'spacing' | 'roundness' | 'angle' | 'feather'
function tune(kind: Number, value: number, settle: boolean) {
  clean.brush.value[kind] = value
  const step = repair.value
  if (!step) return
  if (kind === 'strength') return put('Repair strength', { ...step, strength: value }, settle)
  if (kind === 'feather') {
    if (step.mask?.kind === 'outline') put('Repair feather', { ...step, mask: { ...step.mask, feather: value } }, settle)
    return
  }
  put(`Repair ${kind}`, reshaped(step, kind === 'softness' ? { hardness: Math.round((1 - value) * 100) / 100 } : { [kind]: value }), settle)
}
function param(name: string, value: number | string | boolean, settle: boolean) {
  if (repair.value) put(`${repair.value.op} ${name}`, { ...repair.value, params: { ...repair.value.params, [name]: value } }, settle)
}
function ofParam(name: string, rest: number): number {
  const value = repair.value?.params?.[name]
  return typeof value === 'number' ? value : rest
}
function choose(name: (typeof METHODS)[number]['name']) {
  bench.tool.value = name
  bench.selected.value = null
}
function turned(value: number, settle: boolean) {
  clean.cloning.value.turn = value
  param('turn', value, settle)
}
function mirror(value: 'none' | 'across' | 'down') {
  clean.cloning.value.mirror = value
  param('mirror', value, true)
}
const mirrored = computed(() => (repair.value?.op === 'clone' ? String(repair.value.params?.mirror ?? 'none') : clean.cloning.value.mirror))
const isClone = computed(() => method.value?.name === 'clone')
const grainName = computed(() => (repair.value?.op === 'grain' ? 'amount' : 'grain'))
</script>

<template>
  <div class="deck">
    <div class="methods" role="group" aria-label="Method">
      <button v-for="one in METHODS" :key="one.name" class="plain" type="button" :title="one.says" :aria-pressed="bench.tool.value === one.name" @click="choose(one.name)">
        {{ one.name === 'redeye' ? 'red eye' : one.name }} <span v-if="one.key" class="key">{{ one.key }}</span>
      </button>
      <button class="plain" type="button" title="Find small spots on smooth ground and go through them" :aria-pressed="bench.tool.value === 'specks'" @click="choose('specks')">specks</button>
      <span class="grow"></span>
      <button v-for="one in LIMITS" :key="one.name" class="plain limit" type="button" :title="one.says" :aria-pressed="bench.tool.value === one.name" @click="choose(one.name)">{{ one.name }} <span class="key">{{ one.key }}</span></button>
    </div>
    <SpecksPanel v-if="bench.tool.value === 'specks'" class="wide" />
    <template v-else>
      <div class="rulers">
        <Ruler v-if="tipped" name="size" :value="size" :low="2" :high="2000" :rest="60" :step="1" unit="px" :scale="logarithmic(2, 2000)" @drag="tune('size', $event, false)" @settle="tune('size', $event, true)" />
        <Ruler v-if="tipped" name="softness" :value="100 * softness" :low="0" :high="100" :rest="30" unit="%" @drag="tune('softness', $event / 100, false)" @settle="tune('softness', $event / 100, true)" />
        <Ruler v-if="outline || (!repair && method?.gesture === 'outline')" name="feather" :value="feather" :low="0" :high="400" :rest="4" unit="px" @drag="tune('feather', $event, false)" @settle="tune('feather', $event, true)" />
        <Ruler v-if="!LIMITS.some((one) => one.name === method?.name)" name="strength" :value="100 * strength" :low="5" :high="100" :rest="100" unit="%" @drag="tune('strength', $event / 100, false)" @settle="tune('strength', $event / 100, true)" />
        <Ruler v-if="method?.rulers.includes('flow')" name="flow" :value="100 * (stroke?.flow ?? clean.brush.value.flow)" :low="1" :high="100" :rest="100" unit="%" @drag="tune('flow', $event / 100, false)" @settle="tune('flow', $event / 100, true)" />
        <template v-if="isClone">
          <Ruler name="roundness" :value="100 * (stroke?.roundness ?? clean.brush.value.roundness)" :low="10" :high="100" :rest="100" unit="%" @drag="tune('roundness', $event / 100, false)" @settle="tune('roundness', $event / 100, true)" />
          <Ruler name="tip angle" :value="stroke?.angle ?? clean.brush.value.angle" :low="-90" :high="90" unit="°" signed @drag="tune('angle', $event, false)" @settle="tune('angle', $event, true)" />
          <Ruler name="turn of the source" :value="repair ? ofParam('turn', 0) : clean.cloning.value.turn" :low="-180" :high="180" unit="°" signed @drag="turned($event, false)" @settle="turned($event, true)" />
        </template>
        <Ruler v-if="method?.rulers.includes('spacing')" name="spacing" :value="100 * (stroke?.spacing ?? clean.brush.value.spacing)" :low="2" :high="200" :rest="15" unit="%" @drag="tune('spacing', $event / 100, false)" @settle="tune('spacing', $event / 100, true)" />
        <Ruler v-if="repair && ['calm', 'unthread', 'grain'].includes(repair.op)" name="grain" :value="ofParam(grainName, 100)" :low="0" :high="200" :rest="100" unit="%" @drag="param(grainName, $event, false)" @settle="param(grainName, $event, true)" />
        <Ruler v-if="repair?.op === 'regrow'" name="reach" :value="100 * ofParam('reach', 0.75)" :low="20" :high="400" :rest="75" unit="%" @settle="param('reach', $event / 100, true)" />
        <Ruler v-if="repair?.op === 'redeye'" name="darken" :value="ofParam('darken', 30)" :low="0" :high="100" :rest="30" unit="%" @drag="param('darken', $event, false)" @settle="param('darken', $event, true)" />
        <Ruler v-if="repair?.op === 'redeye'" name="reach of red" :value="ofParam('reach', 50)" :low="1" :high="100" :rest="50" unit="%" @drag="param('reach', $event, false)" @settle="param('reach', $event, true)" />
      </div>
      <div class="side">
        <p v-if="!repair" class="small soft">{{ method?.says }}</p>
        <p v-if="repair" class="small taken">
          <label v-if="SWITCHABLE.includes(repair.op)">taken up as <select :value="repair.op" @change="clean.switchTo(repair, ($event.target as HTMLSelectElement).value)"><option v-for="name in SWITCHABLE" :key="name">{{ name }}</option></select></label>
          <b v-else>{{ repair.op }} taken up</b>
          <button class="link" type="button" @click="bench.remove(repair.id ?? '')">{{ clean.busy.value[repair.id ?? ''] === undefined ? 'Remove' : 'Stop and remove' }}</button>
        </p>
        <p v-if="isClone" class="small row">
          <label><input v-model="clean.cloning.value.follow" type="checkbox"> offset follows</label>
          <label>mirror <select :value="mirrored" @change="mirror(($event.target as HTMLSelectElement).value as 'none')"><option value="none">no</option><option value="across">across</option><option value="down">down</option></select></label>
        </p>
        <p v-if="method?.name === 'regrow' && !repair" class="small row">
          <label><input v-model="clean.gathering.value" type="checkbox"> several places</label>
          <button v-if="clean.gathered.value.length" class="plain" type="button" @click="clean.run()">Run {{ clean.gathered.value.length }} <span class="key">Enter</span></button>
        </p>
        <p v-if="repair?.op === 'relocate'" class="small row">
          <label><input type="checkbox" :checked="repair.params?.clean !== false" @change="param('clean', ($event.target as HTMLInputElement).checked, true)"> clean the old place</label>
          <label><input type="checkbox" :checked="repair.params?.match !== false" @change="param('match', ($event.target as HTMLInputElement).checked, true)"> match light</label>
        </p>
        <label class="small outlines">outlines <select v-model="clean.outlines.value"><option v-for="one in OUTLINES" :key="one">{{ one }}</option></select></label>
      </div>
      <TakesStrip v-if="repair?.op === 'regrow'" :key="repair.id" class="extra" :step="repair" />
      <SourceView v-else-if="repair?.params?.source" class="extra" :step="repair" />
    </template>
  </div>
</template>

<style scoped>
.deck { display: grid; grid-template: auto 1fr / minmax(0, 1fr) 232px auto; height: 100%; }
.methods { grid-column: 1 / -1; display: flex; gap: 4px; align-items: center; padding: 6px 12px; border-bottom: 1px solid var(--hairline); overflow: auto; }
.methods .plain { padding: 2px 8px; white-space: nowrap; }
.grow { flex: 1; min-width: 12px; }
.limit { border-style: dashed; }
.key { font: 500 12px var(--mono); color: var(--soft-ink); }
.wide { grid-column: 1 / -1; }
.rulers { display: grid; grid-template-columns: repeat(auto-fill, minmax(190px, 1fr)); gap: 6px 24px; align-content: start; padding: 8px 18px; overflow: auto; }
.side { display: flex; flex-direction: column; gap: 5px; padding: 8px 14px; border-left: 1px solid var(--hairline); overflow: auto; }
.taken, .row { display: flex; gap: 10px; align-items: center; flex-wrap: wrap; }
.outlines { margin-top: auto; }
.extra { border-left: 1px solid var(--hairline); }
select { font: inherit; border: 1px solid var(--rule); border-radius: 3px; background: var(--sheet); color: inherit; }
label { white-space: nowrap; }
</style>
