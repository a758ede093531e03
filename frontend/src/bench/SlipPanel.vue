<script setup lang="ts">
import { computed } from 'vue'

import StateMark from '../parts/StateMark.vue'
import NotesPanel from './NotesPanel.vue'
import { theBench, theWalkover } from './useBench'

const bench = theBench()
const walkover = theWalkover()
const short = computed(() => bench.verdicts.value.filter((line) => line.state === 'short').length)
const open = computed(() => bench.verdicts.value.filter((line) => line.state === 'open').length)
const summary = computed(() => {
  if (!bench.verdicts.value.length) return ''
  if (short.value) return `${short.value} short`
  return open.value ? `${open.value} open` : 'all holds'
})
</script>

<template>
  <section aria-label="Slip" aria-live="off">
    <div class="top">
      <h2 class="heading">Slip · {{ bench.page.value?.slip_name }}</h2>
      <span class="number" :class="{ short: short > 0 }">{{ summary }}</span>
    </div>
    <p v-if="bench.verdicts.value.length === 0" class="measuring">being measured…</p>
    <div v-for="(line, index) in bench.verdicts.value" :key="index" class="line" :class="line.state" :data-line="line.requirement">
      <StateMark :state="line.state" />
      <label v-if="line.judged === 'by eye'" class="eye">
        <span>{{ line.what }}</span>
        <input type="checkbox" :checked="line.state === 'holds'" @change="bench.round.tick(line.what, ($event.target as HTMLInputElement).checked)" />
      </label>
      <template v-else>
        <span class="what">{{ line.what }}</span>
        <span class="number value">{{ line.value }}</span>
      </template>
      <span v-if="line.state === 'short'" class="asks">
        slip asks {{ line.asks }}
        <template v-if="line.where"> · <button type="button" @click="bench.show(line.where)">show</button></template>
      </span>
    </div>
    <div v-if="bench.verdicts.value.length" class="line open" data-line="walkover">
      <StateMark :state="walkover.share.value > 0.999 ? 'holds' : 'open'" />
      <span class="what">walkover</span>
      <span class="number value">
        <button v-if="walkover.share.value < 0.999" class="link" type="button" title="Key K" @click="walkover.toggle()">{{ Math.floor(100 * walkover.share.value) }} % looked at</button>
        <template v-else>all looked at · <button class="link" type="button" title="Forget what was looked at" @click="walkover.startAgain()">again</button></template>
      </span>
    </div>
    <NotesPanel />
  </section>
</template>

<style scoped>
.top { display: flex; justify-content: space-between; align-items: center; padding: 11px 12px 6px; }
.short { color: var(--short); }
.measuring { padding: 4px 12px; color: var(--soft-ink); }
.line { display: grid; grid-template-columns: 14px 1fr auto; gap: 2px 9px; align-items: center; padding: 3.5px 12px; }
.line.short { background: var(--short-ground); }
.line.short .value { color: var(--ink); }
.asks { grid-column: 2 / 4; font-size: 12px; color: var(--short); }
.asks button { border: 0; padding: 0; background: none; color: inherit; text-decoration: underline; cursor: pointer; }
.eye { grid-column: 2 / 4; display: flex; justify-content: space-between; gap: 8px; cursor: pointer; }
.line.open .value, .line.measuring .value, .line.later .value { font-weight: 400; font-family: var(--text); }
</style>
