<script setup lang="ts">
import Button from 'primevue/button'
import Skeleton from 'primevue/skeleton'
import { computed, onBeforeUnmount, ref, watch } from 'vue'

import type { Step } from '../../../api/client'
import { theBench } from '../../useBench'

/** The takes of a place as small pictures, each shown as soon as it is found. */
const props = defineProps<{ step: Step }>()
const { ledger, decks } = theBench()
const SHOWN = 3

const taken = computed(() => Number(props.step.params?.take ?? 0))
const last = computed(() => decks.of(props.step.op)?.takes ?? 0)
const first = ref(SHOWN * Math.floor(taken.value / SHOWN))
const shown = computed(() => Array.from({ length: SHOWN }, (_, k) => first.value + k).filter((take) => take < last.value))
const pictures = ref<Record<number, string>>({})
/** Everything but the take itself: when it changes the pictures are made anew. */
const asked = computed(() => JSON.stringify([props.step.mask, { ...props.step.params, take: 0 }]))
let round = 0

async function fetchAll() {
  const own = ++round
  pictures.value = {}
  // one after the other: the first shows early
  for (const take of shown.value) {
    const answer = await fetch(`/api/photos/${ledger.photo}/steps/${props.step.id}/takes/${take}`)
    const found = answer.ok ? await asAddress(await answer.blob()) : undefined
    if (own !== round) return
    if (found) pictures.value = { ...pictures.value, [take]: found }
  }
}
/** One that holds the picture itself: nothing is left to take back, also not while it is still being loaded. */
const asAddress = (picture: Blob) =>
  new Promise<string>((done, failed) => {
    const reader = new FileReader()
    reader.onload = () => done(reader.result as string)
    reader.onerror = () => failed(reader.error)
    reader.readAsDataURL(picture)
  })
watch([asked, first, () => ledger.saving === 0], ([, , saved]) => saved && void fetchAll(), { immediate: true })
onBeforeUnmount(() => (round += 1))
function choose(take: number) {
  void ledger.putStep(`Take ${take + 1}`, { ...props.step, params: { ...props.step.params, take } })
}
</script>

<template>
  <div class="takes" role="group" aria-label="Takes">
    <Button
      v-for="take in shown" :key="take" severity="secondary" class="take" :class="{ taken: take === taken }" :aria-pressed="take === taken"
      :aria-label="`Take ${take + 1}`" @click="choose(take)"
    >
      <img v-if="pictures[take]" :src="pictures[take]" alt="">
      <Skeleton v-else width="100%" height="100%" />
      <span class="number">{{ take + 1 }}</span>
    </Button>
    <span class="more">
      <Button severity="secondary" label="◂" aria-label="Takes before" :disabled="first === 0" @click="first -= SHOWN" />
      <Button severity="secondary" label="▸" aria-label="More takes" :disabled="first + SHOWN >= last" @click="first += SHOWN" />
    </span>
  </div>
</template>

<style scoped>
.takes { display: flex; gap: 6px; align-items: stretch; }
.take { position: relative; width: 98px; height: 98px; padding: 0; overflow: hidden; }
.take.taken { border: 2px solid var(--fern); }
.take img { width: 100%; height: 100%; object-fit: cover; display: block; }
.take .number { position: absolute; left: 4px; bottom: 3px; padding: 0 4px; background: var(--paper); border-radius: 2px; font-size: 12px; }
.more { display: flex; flex-direction: column; gap: 4px; justify-content: center; }
</style>
