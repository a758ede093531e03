<script setup lang="ts">
import { computed } from 'vue'

import Ruler from '../../parts/Ruler.vue'
import { mired } from '../../parts/scale'
import { theBench } from '../useBench'

const bench = theBench()
/** Where both rulers of white balance rest: daylight, as the server counts it. */
const DAYLIGHT = 6507
const kelvin = mired(2500, 25000)

const white = computed(() => bench.stepOf('white_balance')?.params ?? {})
const temperature = computed(() => Number(white.value.temperature ?? DAYLIGHT))
const tint = computed(() => Number(white.value.tint ?? 0))
const ev = computed(() => Number(bench.stepOf('exposure')?.params?.ev ?? 0))
const whiteBefore = computed(() => bench.before('white_balance')?.params ?? {})
const marks = computed(() => bench.neutrals.value.length)

function whiteStep(change: Record<string, number>) {
  return bench.stepFor('white_balance', { temperature: temperature.value, tint: tint.value, ...change })
}
</script>

<template>
  <div class="deck">
    <div class="side">
      <button class="plain" type="button" :aria-pressed="bench.tool.value === 'neutral'" title="Key N" @click="bench.tool.value = bench.tool.value === 'neutral' ? 'look' : 'neutral'">Pick neutral</button>
      <Ruler name="area averaged" :value="bench.pickSize.value" :low="4" :high="120" :rest="24" :step="2" unit="px" @drag="bench.pickSize.value = $event" @settle="bench.pickSize.value = $event" />
      <p class="small soft">{{ marks ? `${marks} pinned; click a mark to unpin it` : 'Click something white or grey: a wall, a plate, paper.' }}</p>
    </div>
    <div class="rulers">
      <Ruler
        name="warm / cool" :value="temperature" :low="2500" :high="25000" :rest="DAYLIGHT" :step="10" unit="K" :scale="kelvin"
        :before="Number(whiteBefore.temperature ?? DAYLIGHT)" :ends="['cooler', 'warmer']"
        @drag="bench.dragStep(whiteStep({ temperature: $event }))" @settle="bench.putStep('Warm / cool', whiteStep({ temperature: $event }))"
      />
      <Ruler
        name="green / magenta" :value="tint" :low="-60" :high="60" :step="0.5" :digits="1" signed :before="Number(whiteBefore.tint ?? 0)" :ends="['green', 'magenta']"
        @drag="bench.dragStep(whiteStep({ tint: $event }))" @settle="bench.putStep('Green / magenta', whiteStep({ tint: $event }))"
      />
      <Ruler
        name="exposure" :value="ev" :low="-4" :high="4" :step="0.05" :digits="2" unit="EV" signed :before="Number(bench.before('exposure')?.params?.ev ?? 0)" :ends="['darker', 'lighter']"
        @drag="bench.dragStep(bench.stepFor('exposure', { ev: $event }))" @settle="bench.putStep('Exposure', bench.stepFor('exposure', { ev: $event }))"
      />
    </div>
  </div>
</template>

<style scoped>
.deck { display: grid; grid-template-columns: 262px minmax(0, 1fr); height: 100%; }
.side { display: grid; gap: 8px; align-content: start; padding: 12px 14px; border-right: 1px solid var(--hairline); }
.rulers { display: grid; grid-template-columns: repeat(auto-fill, minmax(270px, 1fr)); gap: 14px 32px; align-content: start; padding: 14px 20px; }
</style>
