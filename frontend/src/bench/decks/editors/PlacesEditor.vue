<script setup lang="ts">
import ToggleButton from 'primevue/togglebutton'
import { computed, onBeforeUnmount } from 'vue'

import type { EditorTrait } from '../../rooms/useDecks'
import { theBench } from '../../useBench'

/** Places that are picked in the picture; when they are, what follows from them is measured. */
const props = defineProps<{ op: string; editor: EditorTrait }>()
const { ledger, tools } = theBench()
const held = computed(() => ledger.stepOf(props.op)?.params ?? {})
const asked = computed(() => tools.place?.item ?? null)

function pick(item: string) {
  if (asked.value === item) return void (tools.place = null)
  tools.place = { item, take: (at) => void put(item, at) }
}
/** A place is new: the rulers are measured again. */
async function put(item: string, at: { x: number; y: number; size: number }) {
  const places = Object.fromEntries(props.editor.items.map((name) => [name, held.value[name]]))
  const measured = Object.fromEntries((Object.keys(held.value)).filter((name) => !props.editor.items.includes(name)).map((name) => [name, undefined]))
  await ledger.putStep(`Pick the ${item} place`, ledger.stepFor(props.op, { ...measured, ...places, [item]: at }))
}
onBeforeUnmount(() => (tools.place = null))
</script>

<template>
  <div class="places">
    <ToggleButton
      v-for="item in editor.items" :key="item" :model-value="asked === item" :on-label="`pick the ${item} place`" :off-label="`pick the ${item} place`"
      @update:model-value="pick(item)"
    />
    <span v-for="item in editor.items.filter((name) => held[name])" :key="item" class="small soft">{{ item }} ✓</span>
  </div>
</template>

<style scoped>
.places { grid-column: 1 / -1; display: flex; gap: 8px; align-items: center; }
</style>
