<script setup lang="ts">
import Button from 'primevue/button'
import { computed, ref } from 'vue'

import { api, said, taken, type Schemas } from '../api/client'
import { newId } from '../common/ids'
import { useSaying } from '../common/useSaying'

type Photo = Schemas['Photo']
interface Offer { base: Photo; frames: Photo[] }

/** Bracketed series among a ticket's photos, to be merged one by one or all at once. */
const props = defineProps<{ photos: Photo[]; series: string[][]; busy: boolean; act: (work: () => Promise<unknown>) => Promise<void> }>()
const { say } = useSaying()
const each = ref(false)

/** Series whose middle frame has no steps yet: merged into that one. As the photos stand. */
const offers = computed<Offer[]>(() =>
  props.series.flatMap((ids) => {
    const frames = ids.flatMap((id) => props.photos.find((photo) => photo.id === id) ?? [])
    const base = frames[Math.floor(frames.length / 2)]
    return base && base.steps === 0 && !base.material ? [{ base, frames }] : []
  }).sort((one, other) => one.base.position - other.base.position),
)
const titles = ({ frames }: Offer) => frames.map((frame) => frame.title).join(', ')

async function mergeOne({ base, frames }: Offer) {
  const others = frames.filter((frame) => frame.id !== base.id)
  const step = { id: newId(), op: 'merge', params: { frames: others.map(({ blob, title }) => ({ picture: blob, title })) }, enabled: true, strength: 1 }
  const body = { expected: base.head ?? 0, summary: 'Merge series', changes: [{ kind: 'put' as const, step }] }
  taken(await api.POST('/api/photos/{photo}/changes', { params: { path: { photo: base.id } }, body }))
}
const merge = (offer: Offer) =>
  props.act(async () => {
    await mergeOne(offer)
    say(`Merged into “${offer.base.title}”; its frames are material, not delivered. Specks grow in a merge: clean after it.`)
  })
const mergeAll = () =>
  props.act(async () => {
    const left: string[] = []
    const all = offers.value
    for (const offer of all) await mergeOne(offer).catch((error: unknown) => left.push(`${offer.base.title}: ${said(error)}`))
    const merged = `${all.length - left.length} series are merged; their frames are material, not delivered. Specks grow in a merge: clean after it.`
    say(left.length ? `${merged} Left out: ${left.join('; ')}` : merged)
  })
</script>

<template>
  <div v-if="offers.length > 1" class="offer">
    <span><b>{{ offers.length }} bracketed series</b> <span class="soft">by their time and exposure.</span></span>
    <Button severity="secondary" :label="`Merge all ${offers.length}`" :disabled="busy" @click="mergeAll" />
    <Button link :label="each ? 'all at once' : 'one by one'" :aria-expanded="each" @click="each = !each" />
  </div>
  <div v-for="offer in each || offers.length === 1 ? offers : []" :key="offer.base.id" class="offer">
    <span><b>{{ titles(offer) }}</b> <span class="soft">look like a bracketed series, by their time and exposure.</span></span>
    <Button severity="secondary" :label="`Merge into “${offer.base.title}”`" :disabled="busy" @click="merge(offer)" />
  </div>
</template>

<style scoped>
.offer { display: flex; flex-wrap: wrap; align-items: center; gap: 8px 12px; margin-bottom: 12px; }
</style>
