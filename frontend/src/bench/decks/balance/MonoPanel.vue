<script setup lang="ts">
import { computed } from 'vue'

import Ruler from '../../../parts/Ruler.vue'
import StepRuler from '../../StepRuler.vue'
import { theBench } from '../../useBench'

interface Trim { hue: number; amount: number }

const bench = theBench()
const responses = ['even', 'eye', 'red', 'orange', 'yellow', 'green', 'blue']
const families = [
  { hue: 0, name: 'reds' }, { hue: 60, name: 'yellows' }, { hue: 120, name: 'greens' },
  { hue: 180, name: 'blue-greens' }, { hue: 240, name: 'blues' }, { hue: 300, name: 'purples' },
]
const step = computed(() => bench.stepOf('black_white'))
const response = computed(() => (step.value ? String(step.value.params?.response ?? 'eye') : ''))
const trims = computed(() => (step.value?.params?.trims as Trim[] | undefined) ?? [])

function amountOf(hue: number): number {
  return trims.value.find((trim) => trim.hue === hue)?.amount ?? 0
}
function trimmed(hue: number, amount: number) {
  const others = trims.value.filter((trim) => trim.hue !== hue)
  return bench.stepFor('black_white', { trims: amount ? [...others, { hue, amount }] : others })
}
function choose(name: string) {
  if (step.value && response.value === name) void bench.remove(step.value.id ?? '')
  else void bench.putStep('Black and white', bench.stepFor('black_white', { response: name }))
}
</script>

<template>
  <div class="mono">
    <div class="responses" role="group" aria-label="Response to colour">
      <button v-for="name in responses" :key="name" class="plain" type="button" :aria-pressed="response === name" :title="response === name ? 'Press again for colour' : `Greys as ${name} sees them`" @click="choose(name)">{{ name }}</button>
    </div>
    <div class="rulers">
      <Ruler
        v-for="family in families" :key="family.hue" :name="family.name" :value="amountOf(family.hue)" :low="-100" :high="100" signed :disabled="!step"
        @drag="bench.dragStep(trimmed(family.hue, $event))" @settle="bench.putStep(`Trim ${family.name}`, trimmed(family.hue, $event))"
      />
      <StepRuler op="toning" param="shadow_amount" name="tone shadows" :low="0" :high="100" unit="%" />
      <StepRuler op="toning" param="shadow_hue" name="their hue" :low="0" :high="360" :rest="220" unit="°" />
      <StepRuler op="toning" param="highlight_amount" name="tone highlights" :low="0" :high="100" unit="%" />
      <StepRuler op="toning" param="highlight_hue" name="their hue" :low="0" :high="360" :rest="40" unit="°" />
      <StepRuler op="toning" param="balance" name="balance of both" :low="-100" :high="100" signed />
    </div>
  </div>
</template>

<style scoped>
.mono { display: grid; grid-template-columns: 148px minmax(0, 1fr); height: 100%; }
.responses { display: grid; grid-template-columns: 1fr 1fr; gap: 5px; padding: 12px 0 12px 14px; align-content: start; }
</style>
