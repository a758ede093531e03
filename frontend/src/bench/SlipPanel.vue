<script setup lang="ts">
import { useElementSize } from '@vueuse/core'
import Button from 'primevue/button'
import Checkbox from 'primevue/checkbox'
import Skeleton from 'primevue/skeleton'
import { computed, ref } from 'vue'

import StateMark from '../parts/StateMark.vue'
import NotesPanel from './NotesPanel.vue'
import { theBench } from './useBench'
import { useFolding } from './useFolding'

const bench = theBench()
const { ledger, frames, round, walkover } = bench
const short = computed(() => frames.verdicts.filter((line) => line.state === 'short').length)
const open = computed(() => frames.verdicts.filter((line) => line.state === 'open').length)
const summary = computed(() => {
  if (!frames.verdicts.length) return ''
  if (short.value) return `${short.value} short`
  return open.value ? `${open.value} open` : 'all holds'
})
const paper = ref<HTMLElement | null>(null)
const { height } = useElementSize(() => paper.value?.parentElement)
const noted = ref<InstanceType<typeof NotesPanel> | null>(null)
const { height: notes } = useElementSize(noted)
/** What the steps take at least, their heading, one of them, and the tear line, pixels. */
const [LEAST, HEADING, STEP, TEAR] = [168, 40, 26, 16]
const others = () => notes.value + TEAR + Math.max(LEAST, HEADING + STEP * ledger.steps.length)
const { folded, foldable, hidden, open: opened } = useFolding(height, () => frames.verdicts, others)
const held = computed(() => frames.verdicts.filter(hidden).length)
/** What does not stand beside its name stands below it. */
const isLong = (line: { value: string }) => line.value.length > 20
function show(where: number[]) {
  bench.judging(() => bench.view.show(where))
}
</script>

<template>
  <section ref="paper" aria-label="Slip" aria-live="off">
    <div class="top">
      <h2 class="heading">Slip · {{ ledger.page?.slip_name }}</h2>
      <span class="number" :class="{ short: short > 0 }">{{ summary }}</span>
    </div>
    <div v-if="frames.verdicts.length === 0" class="measuring" role="status" aria-label="being measured">
      <Skeleton v-for="k in 6" :key="k" height="14px" />
    </div>
    <div
      v-for="(line, index) in frames.verdicts" :key="index" class="line" :class="[line.state, { long: isLong(line) }]"
      :hidden="hidden(line)" :data-line="line.requirement"
    >
      <StateMark :state="line.state" />
      <label v-if="line.judged === 'by eye'" class="eye">
        <span>
          {{ line.what }}
          <span v-if="line.requirement !== 'by_eye' && line.state === 'open'" class="soft small">· {{ line.value }}: look, then tick</span>
        </span>
        <Checkbox binary :model-value="line.state === 'holds'" @update:model-value="round.tick(line.what, $event)" />
      </label>
      <template v-else>
        <span v-tooltip.right="line.explained || undefined" class="what">{{ line.what }}</span>
        <span class="number value">{{ line.value }}</span>
      </template>
      <span v-if="line.state === 'short'" class="asks">
        slip asks {{ line.asks }}
        <template v-if="line.where"> · <Button link size="small" label="show" @click="show(line.where)" /></template>
      </span>
    </div>
    <div v-if="frames.verdicts.length" class="line open" data-line="walkover">
      <StateMark :state="walkover.share > 0.999 ? 'holds' : 'open'" />
      <span class="what">walkover</span>
      <span class="number value">
        <Button
          v-if="walkover.share < 0.999" v-tooltip.right="'Key K'" link size="small" :label="`${Math.floor(100 * walkover.share)} % looked at`"
          @click="walkover.toggle()"
        />
        <template v-else>
          all looked at ·
          <Button v-tooltip.right="'Forget what was looked at'" link size="small" label="again" @click="walkover.startAgain()" />
        </template>
      </span>
    </div>
    <div v-if="foldable" class="folding">
      <template v-if="folded"><StateMark state="holds" /> <span class="what">{{ held }} hold</span></template>
      <Button link size="small" :label="folded ? 'show' : 'fold what holds'" :aria-expanded="!folded" @click="opened = folded" />
    </div>
    <NotesPanel ref="noted" />
  </section>
</template>

<style scoped>
.top { display: flex; justify-content: space-between; align-items: center; padding: 11px 12px 6px; }
.short { color: var(--short); }
.measuring { padding: 4px 12px; display: grid; gap: 10px; }
.line { display: grid; grid-template-columns: 14px 1fr auto; gap: 2px 6px; align-items: center; padding: 0 12px; min-height: 24px; }
.line.short { padding-bottom: 3px; }
.line.short { background: var(--short-ground); }
.line.short .value { color: var(--ink); }
.line[hidden] { display: none; }
.line.long .value { grid-column: 2 / 4; grid-row: 2; font-size: 12px; line-height: 15px; padding-bottom: 2px; }
.folding { display: grid; grid-template-columns: 14px 1fr auto; gap: 2px 6px; align-items: center; padding: 0 12px; min-height: 24px; }
.folding > :deep(button) { grid-column: 3; }
.asks { grid-column: 2 / 4; font-size: 12px; color: var(--short); }
.asks :deep(button) { color: inherit; font-size: 12px; margin: -5px 0; }
.eye { grid-column: 2 / 4; display: flex; justify-content: space-between; gap: 8px; cursor: pointer; }
.line.open .value, .line.measuring .value, .line.later .value { font-weight: 400; font-family: var(--text); }
</style>
