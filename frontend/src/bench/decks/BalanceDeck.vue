<script setup lang="ts">
import { computed, ref, type Component } from 'vue'

import Ruler from '../../parts/Ruler.vue'
import { PANELS } from '../panels'
import { theBench } from '../useBench'
import CurvePanel from './balance/CurvePanel.vue'
import Histogram from './balance/Histogram.vue'
import HuesPanel from './balance/HuesPanel.vue'
import MonoPanel from './balance/MonoPanel.vue'
import ScanPanel from './balance/ScanPanel.vue'
import SourcePanel from './balance/SourcePanel.vue'
import TonePanel from './balance/TonePanel.vue'

const bench = theBench()
const panels: Record<string, Component> = { Tone: TonePanel, Curve: CurvePanel, Hues: HuesPanel, Mono: MonoPanel, Scan: ScanPanel, Source: SourcePanel }

/** How much of all proposals is taken; the steps are the truth, this only remembers the last drag. */
const share = ref(0)
const proposed = computed(() => Object.keys(bench.proposals.value).filter((op) => op !== 'straighten').length)
async function take(value: number) {
  share.value = value
  await bench.takeProposals(value / 100)
}
</script>

<template>
  <div class="deck">
    <div class="side">
      <div class="panels" role="group" aria-label="Groups of rulers">
        <button class="plain" type="button" :aria-pressed="bench.tool.value === 'neutral'" title="Pick something that should be white or grey (key N)" @click="bench.pickNeutral()">Neutral <span class="key">N</span></button>
        <button v-for="(ops, name) in PANELS" :key="name" class="plain" type="button" :aria-pressed="bench.panel.value === name" @click="bench.panel.value = name">
          {{ name }}<sup v-if="bench.countOf(ops)">{{ bench.countOf(ops) }}</sup>
        </button>
      </div>
      <div class="tones">
        <Histogram />
        <Ruler name="take of all △" :value="share" :low="0" :high="100" :step="5" unit="%" :disabled="!proposed" @drag="share = $event" @settle="take" />
      </div>
    </div>
    <component :is="panels[bench.panel.value]" />
  </div>
</template>

<style scoped>
.deck { display: grid; grid-template-columns: 262px minmax(0, 1fr); height: 100%; }
.side { display: grid; grid-template-columns: 90px minmax(0, 1fr); gap: 10px; padding: 9px 12px 6px 14px; border-right: 1px solid var(--hairline); }
.panels { display: grid; gap: 1px; align-content: start; }
.panels .plain { min-height: 19px; height: 19px; line-height: 1; text-align: left; padding: 0 8px; }
.panels .plain:first-child { margin-bottom: 3px; }
.key { float: right; font: 500 12px/16px var(--mono); color: var(--soft-ink); }
sup { font: 600 11px/0 var(--mono); margin-left: 5px; color: var(--fern); }
.tones { display: grid; gap: 7px; align-content: start; min-width: 0; }
.deck :deep(.rulers) { display: grid; grid-template-columns: repeat(4, minmax(0, 1fr)); gap: 3px 26px; align-content: start; padding: 9px 20px 0; }
</style>
