<script setup lang="ts">
import { computed } from 'vue'

import { theBench, type StationName } from './useBench'

const bench = theBench()
const names: { name: StationName; title: string }[] = [
  { name: 'frame', title: 'Frame' },
  { name: 'balance', title: 'Balance' },
  { name: 'clean', title: 'Clean' },
  { name: 'finish', title: 'Finish' },
  { name: 'check', title: 'Check' },
]
const counts = computed(() => {
  const steps = (station: StationName) => bench.steps.value.filter((view) => view.station === station).length
  const short = bench.verdicts.value.filter((line) => line.state === 'short').length
  return { frame: steps('frame'), balance: steps('balance') + bench.steps.value.filter((view) => view.station === 'source').length, clean: steps('clean'), finish: steps('finish'), check: short }
})

function step(by: number) {
  const index = names.findIndex((s) => s.name === bench.station.value)
  const next = names[(index + by + names.length) % names.length]
  if (next) bench.station.value = next.name
  document.getElementById(`tab-${next?.name}`)?.focus()
}
</script>

<template>
  <div class="tabs" role="tablist" aria-label="Stations" @keydown.right.prevent="step(1)" @keydown.left.prevent="step(-1)">
    <button
      v-for="one in names"
      :id="`tab-${one.name}`"
      :key="one.name"
      class="tab"
      role="tab"
      type="button"
      :aria-selected="bench.station.value === one.name"
      :tabindex="bench.station.value === one.name ? 0 : -1"
      @click="bench.station.value = one.name"
    >
      {{ one.title }}<sup v-if="counts[one.name]" :class="{ short: one.name === 'check' }">{{ counts[one.name] }}</sup>
    </button>
  </div>
</template>

<style scoped>
.tabs { display: flex; gap: 4px; align-items: end; background: var(--surround); padding-left: 1px; }
.tab { height: 31px; padding: 0 14px; border: 1px solid var(--rule); border-bottom: 0; border-radius: 7px 7px 0 0; background: var(--bench); cursor: pointer; font-weight: 500; }
.tab[aria-selected='true'] { background: var(--deck); font-weight: 700; color: var(--deep-fern); margin-bottom: -1px; height: 32px; position: relative; z-index: 1; }
.tab:focus-visible { outline-offset: -3px; }
sup { font: 600 11.5px/0 var(--mono); margin-left: 5px; color: var(--fern); }
sup.short { color: var(--short); }
</style>
