<script setup lang="ts">
import InputNumber from 'primevue/inputnumber'
import { computed } from 'vue'

import { theBench } from '../useBench'

interface Squared {
  corners?: [number, number][]
  ratio?: number
  told_by?: keyof typeof TOLD
  off?: number
}

const { ledger } = theBench()
const step = computed(() => ledger.stepOf('corners'))
const params = computed(() => (step.value?.params ?? {}) as Squared)
const TOLD = { lens: 'by the lens', perspective: 'by the perspective', 'assumed lens': 'if the lens is a usual one' }
const told = computed(() => {
  const { told_by: by, off } = params.value
  return by ? `${TOLD[by]}, ± ${(100 * (off ?? 0)).toFixed(1)} %` : 'as you said'
})

/** What a person knows better than lens and perspective. */
async function say(ratio: number | null) {
  if (!step.value || !ratio) return
  await ledger.putStep('Ratio', { ...step.value, params: { corners: params.value.corners, ratio } })
}
</script>

<template>
  <div v-if="step" class="field">
    <span class="name">squared up to</span>
    <InputNumber
      v-tooltip.top="'Width over height of what was squared up'" :model-value="params.ratio" :max-fraction-digits="4"
      aria-label="Ratio of what was squared up" @update:model-value="say"
    />
    <span class="soft">{{ told }}</span>
  </div>
</template>
