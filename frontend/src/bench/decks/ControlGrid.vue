<script setup lang="ts">
import { computed } from 'vue'

import { theBench } from '../useBench'
import ControlField from './ControlField.vue'

/** All controls of some operations, in the order in which they work. */
const props = defineProps<{ ops: string[]; only?: (param: string) => boolean }>()
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
  <div class="controls">
    <ControlField v-for="{ op, control, key } in controls" :key="key" :op="op" :control="control" />
    <p v-for="hint in hints" :key="hint" class="small soft hint">{{ hint }}</p>
  </div>
</template>

<style scoped>
.controls { display: grid; grid-template-columns: repeat(auto-fill, minmax(156px, 1fr)); gap: 8px 22px; align-content: start; }
.hint { align-self: center; }
</style>
