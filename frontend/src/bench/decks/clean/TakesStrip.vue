<script setup lang="ts">
import { computed, onBeforeUnmount, ref, watch } from 'vue'

import type { Step } from '../../../api/client'
import { theBench } from '../../useBench'

/** The takes of a regrown place as small pictures, each shown as soon as it is found. */
const props = defineProps<{ step: Step }>()
const bench = theBench()
const SHOWN = 3

const taken = computed(() => Number(props.step.params?.take ?? 0))
const first = ref(SHOWN * Math.floor(taken.value / SHOWN))
const pictures = ref<Record<number, string>>({})
/** Everything but the take itself: when it changes the pictures are made anew. */
const asked = computed(() => JSON.stringify([props.step.mask, { ...props.step.params, take: 0 }]))
let round = 0

async function fetchAll() {
  const own = ++round
  forget()
  // one after the other: the first shows early
  for (let take = first.value; take < first.value + SHOWN; take += 1) {
    const answer = await fetch(`/api/photos/${bench.photo}/steps/${props.step.id}/takes/${take}`)
    if (own !== round) return
    if (answer.ok) pictures.value = { ...pictures.value, [take]: URL.createObjectURL(await answer.blob()) }
  }
}
function forget() {
  Object.values(pictures.value).forEach((url) => URL.revokeObjectURL(url))
  pictures.value = {}
}
watch([asked, first, () => bench.saving.value === 0], ([, , saved]) => saved && void fetchAll(), { immediate: true })
onBeforeUnmount(() => {
  round += 1
  forget()
})
function choose(take: number) {
  void bench.putStep(`Take ${take + 1}`, { ...props.step, params: { ...props.step.params, take } })
}
</script>

<template>
  <div class="takes" role="group" aria-label="Takes">
    <button v-for="take in [first, first + 1, first + 2]" :key="take" class="take" type="button" :aria-pressed="take === taken" :aria-label="`Take ${take + 1}`" @click="choose(take)">
      <img v-if="pictures[take]" :src="pictures[take]" alt="">
      <span v-else class="soft small">growing…</span>
      <span class="number">{{ take + 1 }}</span>
    </button>
    <span class="more">
      <button class="plain" type="button" aria-label="Takes before" :disabled="first === 0" @click="first -= SHOWN">◂</button>
      <button class="plain" type="button" aria-label="More takes" :disabled="first + SHOWN > 96" @click="first += SHOWN">▸</button>
    </span>
  </div>
</template>

<style scoped>
.takes { display: flex; gap: 6px; padding: 8px 10px; align-items: stretch; }
.take { position: relative; width: 104px; height: 104px; padding: 0; border: 1px solid var(--rule); border-radius: 3px; background: var(--bench); cursor: pointer; overflow: hidden; }
.take[aria-pressed='true'] { border: 2px solid var(--fern); }
.take img { width: 100%; height: 100%; object-fit: cover; display: block; }
.take .number { position: absolute; left: 4px; bottom: 3px; padding: 0 4px; background: var(--paper); border-radius: 2px; font-size: 12px; }
.more { display: flex; flex-direction: column; gap: 4px; justify-content: center; }
.more .plain { padding: 2px 6px; }
</style>
