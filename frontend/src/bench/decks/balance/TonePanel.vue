<script setup lang="ts">
import { computed } from 'vue'

import { mired } from '../../../parts/scale'
import StepRuler from '../../StepRuler.vue'
import { DAYLIGHT, theBench } from '../../useBench'

const bench = theBench()
const kelvin = mired(2500, 25000)
/** Temperature and tint are one decision: each ruler sends the other's number along. */
const white = computed(() => bench.stepOf('white_balance')?.params)
const tint = computed(() => ({ tint: Number(white.value?.tint ?? 0) }))
const temperature = computed(() => ({ temperature: Number(white.value?.temperature ?? DAYLIGHT) }))
</script>

<template>
  <div class="rulers">
    <StepRuler op="white_balance" param="temperature" name="warm / cool" :low="2500" :high="25000" :rest="DAYLIGHT" :by="10" unit="K" :scale="kelvin" :along="tint" :ends="['cooler', 'warmer']" />
    <StepRuler op="white_balance" param="tint" name="green / magenta" :low="-60" :high="60" :by="0.5" :digits="1" signed :along="temperature" :ends="['green', 'magenta']" />
    <StepRuler op="exposure" param="ev" name="exposure" :low="-4" :high="4" :by="0.05" :digits="2" unit="EV" signed />
    <StepRuler op="contrast" param="amount" name="contrast" :low="-100" :high="100" signed />
    <StepRuler op="highlights_shadows" param="highlights" name="highlights" :low="-100" :high="100" signed />
    <StepRuler op="highlights_shadows" param="shadows" name="shadows" :low="-100" :high="100" signed />
    <StepRuler op="end_points" param="white" name="white point" :low="-40" :high="40" :by="0.5" :digits="1" unit="%" signed />
    <StepRuler op="end_points" param="black" name="black point" :low="-40" :high="40" :by="0.5" :digits="1" unit="%" signed />
    <StepRuler op="saturation" param="amount" name="saturation" :low="-100" :high="100" signed />
    <StepRuler op="gentle_saturation" param="amount" name="gentle saturation" :low="-100" :high="100" signed />
    <StepRuler op="local_contrast" param="amount" name="local contrast" :low="-100" :high="100" signed />
    <StepRuler op="haze" param="amount" name="haze taken off" :low="0" :high="100" unit="%" />
  </div>
</template>
