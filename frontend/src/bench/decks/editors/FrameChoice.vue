<script setup lang="ts">
import Select from 'primevue/select'
import { computed } from 'vue'

import { capital } from '../../../common/words'
import type { EditorTrait } from '../../rooms/useDecks'
import { theBench } from '../../useBench'
import { useSeries, type Frame } from './useSeries'

/** One other photo of the ticket, or none. */
const props = defineProps<{ op: string; editor: EditorTrait }>()
const { ledger, decks } = theBench()
const { others, busy, frameOf, work } = useSeries()
const step = computed(() => ledger.stepOf(props.op))
const chosen = computed(() => (step.value?.params?.[props.editor.param] as Frame | undefined)?.picture ?? null)

async function choose(picture: string | null) {
  const title = decks.of(props.op)?.title ?? props.op
  const made = () => ({ ...ledger.stepFor(props.op, {}), params: { [props.editor.param]: frameOf(picture ?? '', []) } })
  await work(() => (picture ? ledger.putStep(title, made()) : ledger.remove(step.value?.id ?? '')))
}
</script>

<template>
  <div class="frame">
    <span>{{ editor.name }}</span>
    <Select
      :model-value="chosen" :options="others" option-label="title" option-value="blob" placeholder="none" show-clear :loading="busy"
      :disabled="busy || !others.length" :aria-label="capital(editor.name)" @update:model-value="choose"
    />
  </div>
</template>

<style scoped>
.frame { display: grid; gap: 2px; align-content: start; min-width: 0; }
</style>
