<script setup lang="ts">
import { computed } from 'vue'

import StepRuler from '../../StepRuler.vue'
import { theBench } from '../../useBench'

const bench = theBench()
const modes = ['multiply', 'screen', 'overlay', 'darken', 'lighten', 'color-dodge', 'color-burn', 'hard-light', 'soft-light', 'difference', 'exclusion', 'plus']
const overlay = computed(() => bench.stepOf('overlay_self'))
const soften = computed(() => bench.stepOf('soften'))

function choose(event: Event) {
  const mode = (event.target as HTMLSelectElement).value
  void bench.putStep('Overlay self', bench.stepFor('overlay_self', { mode, opacity: Number(overlay.value?.params?.opacity ?? 60) }))
}
function switchSoften() {
  if (soften.value) void bench.remove(soften.value.id ?? '')
  else void bench.putStep('Soften grain', bench.stepFor('soften', { radius: 1, percentile: 35, sharp: 10 }))
}
</script>

<template>
  <div class="rulers">
    <label class="mode">overlay self by
      <select class="plain" :value="overlay?.params?.mode ?? 'multiply'" @change="choose">
        <option v-for="mode in modes" :key="mode" :value="mode">{{ mode }}</option>
      </select>
    </label>
    <StepRuler op="overlay_self" param="opacity" name="opacity" :low="0" :high="100" unit="%" />
    <p class="small soft wide">Multiply at 60 to 70 % makes line art dense; plus makes its paper bright.</p>
    <div class="mode"><button class="plain" type="button" :aria-pressed="!!soften" @click="switchSoften">Soften grain</button></div>
    <StepRuler op="soften" param="radius" name="radius" :low="1" :high="4" :rest="1" unit="px" />
    <StepRuler op="soften" param="percentile" name="percentile" :low="0" :high="100" :rest="35" />
    <StepRuler op="soften" param="sharp" name="sharp mixed back" :low="0" :high="100" :rest="10" unit="%" />
  </div>
</template>

<style scoped>
.mode { display: grid; gap: 4px; align-content: start; }
.wide { grid-column: span 2; align-self: center; }
</style>
