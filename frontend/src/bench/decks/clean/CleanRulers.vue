<script setup lang="ts">
import { computed } from 'vue'

import type { Step } from '../../../api/client'
import Ruler from '../../../parts/Ruler.vue'
import { shownOf, valueOf } from '../../../parts/scale'
import type { RulerTrait } from '../../rooms/useDecks'
import type { Stroke } from '../../types'
import { theBench } from '../../useBench'

/** Rulers of the tip, and of the repair that is taken up: it is changed, and the next one starts with the same numbers. */
const { decks, ledger, tools, clean } = theBench()

const op = computed(() => clean.repair?.op ?? tools.tool)
const about = computed(() => decks.of(op.value))
const stroke = computed<Stroke | null>(() => (clean.repair?.mask?.kind === 'strokes' ? (clean.repair.mask.strokes[0] ?? null) : null))
const outline = computed(() => (clean.repair?.mask?.kind === 'outline' ? clean.repair.mask : null))
/** What is painted or clicked has a tip; what is drawn round has a feather. */
const outlined = computed(() => Boolean(outline.value) || (!clean.repair && about.value?.gesture === 'outline'))
const tipped = computed(() => Boolean(about.value?.masked) && !outlined.value)

interface Field { ruler: RulerTrait; value: number; tune: (shown: number, settle: boolean) => void }

const fields = computed<Field[]>(() => {
  const all = decks.all
  if (!all) return []
  const list: Field[] = []
  /** A ruler on `own`, which `tune` changes: both in the parameter's own values. */
  function add(ruler: RulerTrait, own: number, tune: (value: number, settle: boolean) => void) {
    list.push({ ruler, value: shownOf(ruler, own), tune: (shown, settle) => tune(valueOf(ruler, shown), settle) })
  }
  if (tipped.value) {
    for (const ruler of all.tip.filter(({ param }) => decks.hasTip(op.value, param))) {
      const own = stroke.value?.[ruler.param as 'size'] ?? clean.brush[ruler.param] ?? 0
      add(ruler, own, (value, settle) => tuneTip(ruler, value, settle))
    }
  }
  if (outlined.value) add(all.feather, outline.value?.feather ?? clean.brush.feather ?? 0, tuneFeather)
  if (about.value?.tunable) add(all.strength, clean.repair?.strength ?? clean.brush.strength ?? 1, tuneStrength)
  for (const control of about.value?.controls ?? []) {
    if (control.kind !== 'ruler') continue
    const held = clean.repair?.params?.[control.param]
    const own = typeof held === 'number' ? held : valueOf(control, control.rest)
    if (clean.repair) add(control, own, (value, settle) => tuneParam(control, value, settle))
    else if (control.param === 'turn') add(control, clean.cloning.turn, (value) => (clean.cloning.turn = value))
  }
  return list
})

function put(summary: string, step: Step, settle: boolean) {
  if (settle) void ledger.putStep(summary, step)
  else ledger.drag(step)
}
function tuneTip(ruler: RulerTrait, value: number, settle: boolean) {
  clean.brush[ruler.param] = value
  const step = clean.repair
  if (step?.mask?.kind !== 'strokes') return
  const strokes = step.mask.strokes.map((one) => ({ ...one, [ruler.param]: value }))
  put(`Repair ${ruler.name}`, { ...step, mask: { ...step.mask, strokes } }, settle)
}
function tuneFeather(value: number, settle: boolean) {
  clean.brush.feather = value
  if (clean.repair && outline.value) put('Repair feather', { ...clean.repair, mask: { ...outline.value, feather: value } }, settle)
}
function tuneStrength(value: number, settle: boolean) {
  clean.brush.strength = value
  if (clean.repair) put('Repair strength', { ...clean.repair, strength: value }, settle)
}
function tuneParam(ruler: RulerTrait, value: number, settle: boolean) {
  const step = clean.repair
  if (!step) return
  if (ruler.param === 'turn') clean.cloning.turn = value
  // what takes seconds to make cannot follow a hand
  if (!settle && about.value?.takes) return
  put(`${about.value?.title} ${ruler.name}`, { ...step, params: { ...step.params, [ruler.param]: value } }, settle)
}
</script>

<template>
  <div class="rulers">
    <Ruler
      v-for="{ ruler, value, tune } in fields" :key="ruler.name" :ruler="ruler" :value="value"
      @drag="tune($event, false)" @settle="tune($event, true)"
    />
  </div>
</template>

<style scoped>
.rulers { display: grid; grid-template-columns: repeat(auto-fill, minmax(160px, 1fr)); gap: 8px 22px; align-content: start; }
</style>
