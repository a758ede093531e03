<script setup lang="ts">
import SelectButton from 'primevue/selectbutton'
import { computed } from 'vue'

import { theBench } from '../useBench'

/** Ratios as little outlines drawn to scale. */
defineProps<{ ratio: string }>()
const emit = defineEmits<{ choose: [name: string] }>()
const { decks } = theBench()
const ratios = computed(() => decks.of('crop')?.controls.flatMap((one) => (one.kind === 'choice' && one.param === 'ratio' ? one.options : [])) ?? [])

const LONG = 17
/** The free one has no ratio: it is drawn as five by four, in dashes. */
function outline(name: string) {
  const [across, down] = name.includes(':') ? name.split(':').map(Number) : [5, 4]
  const k = LONG / Math.max(across ?? 1, down ?? 1)
  return { width: `${k * (across ?? 1)}px`, height: `${k * (down ?? 1)}px` }
}
</script>

<template>
  <SelectButton
    class="ratios" :model-value="ratio" :options="ratios" :allow-empty="true" aria-label="Ratio"
    @update:model-value="emit('choose', $event ?? ratio)"
  >
    <template #option="{ option }">
      <span class="ratio">
        <span class="place"><span class="outline" :class="{ free: !option.includes(':') }" :style="outline(option)"></span></span>
        <span class="number">{{ option }}</span>
      </span>
    </template>
  </SelectButton>
</template>

<style scoped>
.ratios { display: flex; flex-wrap: wrap; }
.ratios :deep(.p-togglebutton) { border-color: transparent; background: none; border-radius: 3px; margin: 0; flex: 0 1 56px; min-width: 44px; }
.ratios :deep(.p-togglebutton:hover) { background: var(--paper); border-color: transparent; }
.ratios :deep(.p-togglebutton-checked) { background: var(--sheet); border-color: var(--fern); }
.ratios :deep(.p-togglebutton-content) { padding: 2px 2px; }
.ratio { display: grid; justify-items: center; gap: 2px; }
.ratios :deep(.p-togglebutton) { height: 44px; }
.place { height: 18px; display: grid; place-items: center; }
.outline { border: 1.5px solid var(--ink); background: var(--paper); }
.outline.free { border-style: dashed; }
</style>
