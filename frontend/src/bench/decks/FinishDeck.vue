<script setup lang="ts">
import { computed } from 'vue'

import StepRuler from '../StepRuler.vue'
import { theBench } from '../useBench'

type Colour = [number, number, number]
const bench = theBench()
const border = computed(() => bench.stepOf('border'))
const colour = computed<Colour>(() => (border.value?.params?.colour as Colour | undefined) ?? [255, 255, 255])
const papers: { name: string; colour: Colour }[] = [
  { name: 'white', colour: [255, 255, 255] },
  { name: 'paper', colour: [244, 240, 230] },
  { name: 'grey', colour: [128, 128, 128] },
  { name: 'black', colour: [0, 0, 0] },
]
const asHex = computed(() => '#' + colour.value.map((part) => part.toString(16).padStart(2, '0')).join(''))

function paint(to: Colour) {
  void bench.putStep('Border colour', bench.stepFor('border', { width: Number(border.value?.params?.width ?? 40), colour: to }))
}
function typed(event: Event) {
  const hex = (event.target as HTMLInputElement).value
  paint([1, 3, 5].map((at) => parseInt(hex.slice(at, at + 2), 16)) as Colour)
}
</script>

<template>
  <div class="deck">
    <div class="side">
      <p class="small soft">What is laid over the finished crop. It follows the crop when that changes.</p>
    </div>
    <div class="rulers">
      <StepRuler op="vignette" param="amount" name="vignette" :low="-100" :high="100" signed :ends="['darker', 'lighter']" />
      <StepRuler op="vignette" param="reach" name="begins at" :low="0" :high="95" :rest="50" unit="% of the way out" />
      <StepRuler op="border" param="width" name="border" :low="0" :high="600" :by="2" unit="px" />
      <div class="colours">
        <span>its colour</span>
        <div class="row">
          <button v-for="one in papers" :key="one.name" class="swatch" type="button" :style="{ background: `rgb(${one.colour.join(' ')})` }" :title="one.name" :aria-label="`Border ${one.name}`" :aria-pressed="String(one.colour) === String(colour)" @click="paint(one.colour)"></button>
          <input type="color" :value="asHex" aria-label="Border colour" @change="typed" />
          <span class="number">{{ colour.join(' ') }}</span>
        </div>
      </div>
    </div>
  </div>
</template>

<style scoped>
.deck { display: grid; grid-template-columns: 262px minmax(0, 1fr); height: 100%; }
.side { padding: 12px 14px; border-right: 1px solid var(--hairline); }
.rulers { display: grid; grid-template-columns: repeat(3, minmax(0, 300px)); gap: 14px 32px; align-content: start; padding: 14px 20px; }
.colours { display: grid; gap: 5px; }
.row { display: flex; gap: 6px; align-items: center; }
.swatch { width: 26px; height: 26px; border: 1px solid var(--rule); border-radius: 3px; cursor: pointer; padding: 0; }
.swatch[aria-pressed='true'] { box-shadow: 0 0 0 2px var(--fern); }
input { width: 34px; height: 26px; padding: 1px; border: 1px solid var(--rule); border-radius: 3px; background: var(--sheet); }
</style>
