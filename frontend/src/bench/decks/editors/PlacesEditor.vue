<script setup lang="ts">
import ToggleButton from 'primevue/togglebutton'
import { computed } from 'vue'

import type { EditorTrait } from '../../rooms/useDecks'
import type { Picked } from '../../types'
import { theBench } from '../../useBench'
import { usePlace } from './usePlace'

/** Places that are picked in the picture; when they are, what follows from them is measured. */
const props = defineProps<{ op: string; editor: EditorTrait }>()
const { ledger } = theBench()
const { asked, ask } = usePlace()
const held = computed(() => ledger.stepOf(props.op)?.params ?? {})

/** A place is new: the rulers are measured again. */
async function put(item: string, at: Picked) {
  const places = Object.fromEntries(props.editor.items.map((name) => [name, held.value[name]]))
  const measured = Object.fromEntries((Object.keys(held.value)).filter((name) => !props.editor.items.includes(name)).map((name) => [name, undefined]))
  await ledger.putStep(`Pick the ${item} place`, ledger.stepFor(props.op, { ...measured, ...places, [item]: at }))
}
</script>

<template>
  <div class="places">
    <ToggleButton
      v-for="item in editor.items" :key="item" :model-value="asked === item" :on-label="`pick the ${item} place`" :off-label="`pick the ${item} place`"
      @update:model-value="ask(item, (at) => void put(item, at))"
    />
    <span v-for="item in editor.items.filter((name) => held[name])" :key="item" class="small soft">{{ item }} ✓</span>
  </div>
</template>

<style scoped>
.places { grid-column: 1 / -1; display: flex; gap: 8px; align-items: center; }
</style>
