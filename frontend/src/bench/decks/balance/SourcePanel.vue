<script setup lang="ts">
import { computed, ref } from 'vue'

import StepRuler from '../../StepRuler.vue'
import { theBench } from '../../useBench'

interface Frame { picture: string; title: string; rows?: number[][] }

/** What makes the starting picture: a series merged, a darker frame in the whites, the lens's fringes. */
const bench = theBench()
const merge = computed(() => bench.stepOf('merge'))
const darker = computed(() => bench.stepOf('darker'))
const inMerge = computed(() => ((merge.value?.params?.frames as Frame[] | undefined) ?? []).map((frame) => frame.picture))
const inDarker = computed(() => (darker.value?.params?.frame as Frame | undefined)?.picture ?? '')
const busy = ref('')

const others = computed(() => {
  const page = bench.page.value
  if (!page) return []
  return page.siblings.filter((photo) => photo.id !== page.photo.id && photo.width === page.photo.width && photo.height === page.photo.height)
})
function frameOf(picture: string): Frame {
  const kept = (merge.value?.params?.frames as Frame[] | undefined)?.find((frame) => frame.picture === picture)
  return kept ?? { picture, title: others.value.find((photo) => photo.blob === picture)?.title ?? '' }
}
async function work(what: string, task: () => Promise<unknown>) {
  busy.value = what
  await task()
  busy.value = ''
}
/** The box shows what the ledger holds, also where the server refused. */
async function toggleMerge(picture: string, box: HTMLInputElement) {
  const pictures = inMerge.value.includes(picture) ? inMerge.value.filter((one) => one !== picture) : [...inMerge.value, picture]
  await work('laying the frames over…', () =>
    pictures.length ? bench.putStep('Merge series', bench.stepFor('merge', { frames: pictures.map(frameOf) })) : bench.remove(merge.value?.id ?? ''),
  )
  box.checked = inMerge.value.includes(picture)
}
async function chooseDarker(list: HTMLSelectElement) {
  const picture = list.value
  await work('laying the frame over…', () =>
    picture ? bench.putStep('Darker rendition', { ...bench.stepFor('darker', {}), params: { frame: frameOf(picture) } }) : bench.remove(darker.value?.id ?? ''),
  )
  list.value = inDarker.value
}
</script>

<template>
  <div class="source">
    <section>
      <h3 class="heading">Series</h3>
      <p v-if="!others.length" class="small soft">Bring the other frames of the series onto this ticket: same camera, same size.</p>
      <label v-for="photo in others" :key="photo.id" class="choice"><input type="checkbox" :checked="inMerge.includes(photo.blob)" :disabled="!!busy" @change="toggleMerge(photo.blob, $event.target as HTMLInputElement)" /> <span>{{ photo.title }}</span></label>
      <p v-if="merge" class="small soft">Specks grow in a merge: clean after it.</p>
    </section>
    <div class="stack">
      <StepRuler op="merge" param="exposure" name="good exposure counts" :low="0" :high="3" :rest="1" :by="0.1" :digits="1" present />
      <StepRuler op="merge" param="contrast" name="texture counts" :low="0" :high="3" :rest="1" :by="0.1" :digits="1" present />
      <StepRuler op="merge" param="saturation" name="colour counts" :low="0" :high="3" :rest="1" :by="0.1" :digits="1" present />
    </div>
    <section>
      <h3 class="heading">Darker rendition</h3>
      <select class="plain" aria-label="Darker frame" :value="inDarker" :disabled="!!busy || !others.length" @change="chooseDarker($event.target as HTMLSelectElement)">
        <option value="">none</option>
        <option v-for="photo in others" :key="photo.id" :value="photo.blob">{{ photo.title }}</option>
      </select>
      <p class="small soft" role="status">{{ busy || 'Painted into whites that lost their texture.' }}</p>
    </section>
    <div class="stack">
      <StepRuler op="darker" param="begins" name="begins at tone" :low="0" :high="99" :rest="82" unit="%" present />
      <StepRuler op="darker" param="full" name="full at tone" :low="1" :high="100" :rest="97" unit="%" present />
      <StepRuler op="darker" param="lift" name="lightened by" :low="-3" :high="6" :rest="0" :by="0.05" :digits="2" unit="EV" signed present />
    </div>
    <div class="stack">
      <StepRuler op="fringes" param="red" name="red fringe" :low="-8" :high="8" :by="0.1" :digits="1" unit="px" signed />
      <StepRuler op="fringes" param="blue" name="blue fringe" :low="-8" :high="8" :by="0.1" :digits="1" unit="px" signed />
      <p class="small soft">outward, at the corners</p>
    </div>
  </div>
</template>

<style scoped>
.source { display: grid; grid-template-columns: 1fr 1fr 1fr 1fr 1fr; gap: 22px; padding: 9px 20px 0; height: 100%; }
section { display: grid; gap: 5px; align-content: start; min-width: 0; }
.choice { display: flex; gap: 6px; align-items: baseline; }
.choice span { overflow: hidden; text-overflow: ellipsis; white-space: nowrap; }
.choice input { accent-color: var(--fern); }
.stack { display: grid; gap: 3px; align-content: start; }
select { width: 100%; min-width: 0; }
</style>
