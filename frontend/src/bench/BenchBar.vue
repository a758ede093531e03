<script setup lang="ts">
import { useMediaQuery } from '@vueuse/core'
import Button from 'primevue/button'
import Select from 'primevue/select'
import SelectButton from 'primevue/selectbutton'
import ToggleButton from 'primevue/togglebutton'
import { computed } from 'vue'

import { LAMPS } from './lamps'
import type { LampName, Proof } from './types'
import { theBench } from './useBench'

const emit = defineEmits<{ keys: [] }>()
const bench = theBench()
const { ledger, tools, proof, frames, view, walkover } = bench

/** Where the bar is short, the lamps go into a list. */
const short = useMediaQuery('(max-width: 1180px)')
const WAYS: { name: Proof; says: string }[] = [
  { name: 'wipe', says: 'A line to wipe between both (key W)' },
  { name: 'pair', says: 'Both side by side (key B)' },
]
const way = computed(() => (proof.way === 'none' ? null : proof.way))
const saved = computed(() => (ledger.saving ? 'saving' : 'all saved'))
/** It was there and is not; before the first frame it is only on its way. */
const away = computed(() => ledger.away || (!frames.connected && frames.head !== null))
function light(name: LampName | null) {
  proof.lamp = name
}
function prove(name: Proof | null) {
  proof.way = name ?? 'none'
}
</script>

<template>
  <header class="bar">
    <Button v-tooltip.bottom="'Page Up'" severity="secondary" label="◂" aria-label="Previous photo" :disabled="bench.place.value <= 0" @click="bench.go(-1)" />
    <span class="number">{{ bench.place.value + 1 }} / {{ bench.siblings.value.length }}</span>
    <Button
      v-tooltip.bottom="'Page Down'" severity="secondary" label="▸" aria-label="Next photo" :disabled="bench.place.value >= bench.siblings.value.length - 1"
      @click="bench.go(1)"
    />
    <h1 class="title">{{ ledger.page?.photo.title }}</h1>
    <span class="grow"></span>
    <span v-if="away" class="lost" role="status">away, what you do is kept</span>
    <span v-else-if="!frames.connected" class="soft" role="status">connecting…</span>
    <span v-else v-tooltip.bottom="saved" class="soft saved" role="status" :aria-label="saved">{{ ledger.saving ? '…' : '✓' }}</span>
    <Select
      v-if="short" :model-value="proof.lamp" :options="LAMPS" option-label="name" option-value="name" placeholder="lamp" show-clear aria-label="Lamps"
      @update:model-value="light"
    />
    <SelectButton
      v-else :model-value="proof.lamp" :options="LAMPS" option-label="name" option-value="name" aria-label="Lamps"
      @update:model-value="light"
    >
      <template #option="{ option }">
        <span
          v-tooltip.bottom="`${option.says} (key ${option.key.toUpperCase()})`" class="lamp" :class="{ lit: proof.lamp === option.name }"
        >
          {{ option.name }}
        </span>
      </template>
    </SelectButton>
    <div class="proofs" role="group" aria-label="Proof">
      <ToggleButton
        v-tooltip.bottom="'The photo as it came, while held (hold O)'" :model-value="proof.original" on-label="original" off-label="original"
        @pointerdown="proof.original = true" @keydown.space.prevent="proof.original = true" @keyup.space="proof.original = false"
      />
      <SelectButton
        :model-value="way" :options="WAYS" option-label="name" option-value="name" :disabled="tools.whole" aria-label="Beside the original"
        @update:model-value="prove"
      >
        <template #option="{ option }"><span v-tooltip.bottom="option.says">{{ option.name }}</span></template>
      </SelectButton>
      <Button
        v-tooltip.bottom="'The size that the buyer sees (key 3)'" severity="secondary" label="buyer's"
        @click="bench.judging(() => view.buyersSize(ledger.page?.long_side))"
      />
      <ToggleButton
        v-tooltip.bottom="'Go through the photo at 100 %, window by window (key K)'" :model-value="walkover.on" on-label="walkover" off-label="walkover"
        @update:model-value="walkover.toggle()"
      />
    </div>
    <Button v-tooltip.bottom="'All keys (?)'" severity="secondary" label="?" aria-label="All keys" @click="emit('keys')" />
    <Button label="Hand over" @click="tools.station = 'check'" />
  </header>
</template>

<style scoped>
.bar {
  position: relative; display: flex; align-items: center; gap: 8px; padding: 0 12px 0 14px; background: var(--bar); border-bottom: 1px solid var(--hairline);
  white-space: nowrap; min-width: 0;
}
.bar :deep(.p-togglebutton-content) { padding: 0 7px; }
.bar > * { flex: none; }
.title { flex: 0 1 auto; font-size: 1rem; min-width: 0; font-weight: 600; overflow: hidden; text-overflow: ellipsis; }
.bar > .grow { flex: 1 1 0; }
.saved { width: 14px; text-align: center; }
.lost {
  position: absolute; top: calc(100% + 6px); left: 14px; z-index: 2; padding: 4px 9px; border-radius: 3px;
  background: var(--paper); color: var(--short); font-weight: 600;
}
.proofs { display: flex; }
.proofs > * { border-radius: 0; }
.proofs > * + *, .proofs :deep(.p-selectbutton .p-togglebutton) { margin-left: -1px; border-radius: 0; }
.proofs > :first-child { border-radius: 3px 0 0 3px; }
.proofs > :last-child { border-radius: 0 3px 3px 0; }
.lamp::before {
  content: ''; display: inline-block; width: 7px; height: 7px; margin-right: 5px; border: 1.3px solid var(--soft-ink); border-radius: 50%;
}
.lamp.lit::before { background: var(--fern); border-color: var(--fern); }
</style>
