<script setup lang="ts">
import { computed } from 'vue'

import { theBench } from '../useBench'
import ControlField from './ControlField.vue'

/** All controls of some operations, in the order in which they work; `tight` where there is a row above them. */
const props = defineProps<{ ops: string[]; only?: (param: string) => boolean; tight?: boolean }>()
const { decks } = theBench()
const controls = computed(() =>
  props.ops.flatMap((op) => {
    const all = (decks.of(op)?.controls ?? []).filter(({ param }) => props.only?.(param) ?? true)
    return all.map((control) => ({ op, control, key: `${op} ${control.kind} ${control.param}` }))
  }),
)
const hints = computed(() => props.ops.flatMap((op) => decks.of(op)?.how || []))
</script>

<template>
  <div class="controls" :class="{ tight }">
    <ControlField v-for="{ op, control, key } in controls" :key="key" :op="op" :control="control" />
    <p v-for="hint in hints" :key="hint" class="small soft hint">{{ hint }}</p>
  </div>
</template>

<style scoped>
.controls { display: grid; grid-template-columns: repeat(auto-fill, minmax(156px, 1fr)); gap: 8px 22px; align-content: start; }
.tight {
  --colour-columns: 4; --curve-height: 78px;
  grid-template-columns: repeat(auto-fill, minmax(132px, 1fr)); gap: 4px 14px;
}
.tight :deep(.ruler) { height: 42px; }
.tight :deep(.colour) { display: flex; gap: 10px; align-items: center; }
.tight :deep(.wide) { grid-column: span 3; }
.tight :deep(.wide.few) { grid-column: span 2; }
.hint { grid-column: span 2; align-self: center; margin-top: -6px; }
</style>
