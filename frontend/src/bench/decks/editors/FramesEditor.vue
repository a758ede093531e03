<script setup lang="ts">
import Checkbox from 'primevue/checkbox'
import { computed } from 'vue'

import type { EditorTrait } from '../../rooms/useDecks'
import { theBench } from '../../useBench'
import { useSeries, type Frame } from './useSeries'

/** Which other photos of the ticket are frames of this one's series. */
const props = defineProps<{ op: string; editor: EditorTrait }>()
const { ledger, decks } = theBench()
const { others, busy, frameOf, work } = useSeries()
const step = computed(() => ledger.stepOf(props.op))
const frames = computed(() => (step.value?.params?.[props.editor.param] as Frame[] | undefined) ?? [])
const chosen = computed(() => frames.value.map((frame) => frame.picture))

async function choose(pictures: string[]) {
  const to = pictures.map((picture) => frameOf(picture, frames.value))
  const title = decks.of(props.op)?.title ?? props.op
  await work(() =>
    to.length ? ledger.putStep(title, ledger.stepFor(props.op, { [props.editor.param]: to })) : ledger.remove(step.value?.id ?? ''),
  )
}
</script>

<template>
  <section class="frames" :aria-label="editor.name">
    <h3 class="heading">{{ editor.name }}</h3>
    <p v-if="!others.length" class="small soft">Bring the other frames of the series onto this ticket: same camera, same size.</p>
    <label v-for="photo in others" :key="photo.id" class="choice">
      <Checkbox :model-value="chosen" :value="photo.blob" :disabled="busy" @update:model-value="choose" /> <span class="title">{{ photo.title }}</span>
    </label>
    <p v-if="busy" class="small soft" role="status">laying the frames over…</p>
  </section>
</template>

<style scoped>
.frames { grid-row: span 2; display: grid; gap: 1px; align-content: start; min-width: 0; max-height: 96px; overflow: auto; }
.title { overflow: hidden; text-overflow: ellipsis; }
</style>
