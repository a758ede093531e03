<script setup lang="ts">
import Button from 'primevue/button'
import ToggleButton from 'primevue/togglebutton'
import { computed, ref } from 'vue'

import Ruler from '../../../parts/Ruler.vue'
import { shownIn, valueOf } from '../../../parts/scale'
import type { Part, Shape } from '../../areas/covers'
import type { RulerTrait } from '../../rooms/useDecks'
import { theBench } from '../../useBench'

/** What is set of the part of the sentence that is taken up. */
const { areas, decks, tools } = theBench()
const part = computed(() => areas.part as Part)
const index = computed(() => areas.taken ?? 0)
const ofShape = computed<RulerTrait[]>(() => decks.all?.covers[part.value.shape.kind ?? ''] ?? [])
const ofPart = computed<RulerTrait[]>(() => decks.all?.covers.part ?? [])
const picked = computed(() => (part.value.shape.kind === 'colours' ? part.value.shape.picks : []))
const found = computed(() => part.value.shape.kind === 'subject' || part.value.shape.kind === 'sky')
const dragging = ref(false)

function withNumber(ruler: RulerTrait, shown: number, inShape: boolean): Partial<Part> {
  const value = valueOf(ruler, shown)
  if (!inShape) return { [ruler.param]: value }
  const shape = { ...part.value.shape, [ruler.param]: value } as Shape
  // a range of tones keeps its ends in order
  if (shape.kind === 'tones' && (shape.low ?? 0) > (shape.high ?? 100)) shape[ruler.param === 'low' ? 'high' : 'low'] = value
  return { shape }
}
function drag(ruler: RulerTrait, shown: number, inShape: boolean) {
  dragging.value = true
  areas.drag(areas.changed(index.value, withNumber(ruler, shown, inShape)))
}
function settle(ruler: RulerTrait, shown: number, inShape: boolean) {
  dragging.value = false
  void areas.change(index.value, withNumber(ruler, shown, inShape), ruler.name)
}
function forget(k: number) {
  if (part.value.shape.kind !== 'colours' || picked.value.length < 2) return
  void areas.change(index.value, { shape: { ...part.value.shape, picks: picked.value.filter((_, n) => n !== k) } }, 'Forget a colour')
}
/** Takes are of the whole photo; within an outline there is one. */
const hasTakes = computed(() => part.value.shape.kind === 'subject' && !part.value.shape.around?.length)
function anotherTake() {
  const { shape } = part.value
  if (shape.kind === 'subject') void areas.change(index.value, { shape: { ...shape, take: ((shape.take ?? 0) + 1) % (decks.all?.takes ?? 1) } }, 'Another take')
}
function withoutLast() {
  const { shape } = part.value
  if (shape.kind !== 'subject' && shape.kind !== 'sky') return
  void areas.change(index.value, { shape: { ...shape, led: (shape.led ?? []).slice(0, -1) } }, 'Take a stroke back')
}
</script>

<template>
  <div class="part">
    <Ruler
      v-for="ruler in ofShape" :key="`shape ${ruler.param}`" :ruler="ruler"
      :value="shownIn(ruler, part.shape as unknown as Record<string, unknown>) ?? ruler.rest" @drag="drag(ruler, $event, true)"
      @settle="settle(ruler, $event, true)"
    />
    <Ruler
      v-for="ruler in ofPart" :key="`part ${ruler.param}`" :ruler="ruler" :value="shownIn(ruler, part as unknown as Record<string, unknown>) ?? ruler.rest"
      @drag="drag(ruler, $event, false)" @settle="settle(ruler, $event, false)"
    />
    <div class="acts">
      <ToggleButton :model-value="part.enabled !== false" on-label="on" off-label="off" @update:model-value="areas.change(index, { enabled: $event })" />
      <ToggleButton
        :model-value="Boolean(part.invert)" on-label="not" off-label="not" aria-label="Inverted"
        @update:model-value="areas.change(index, { invert: $event })"
      />
      <Button
        v-if="hasTakes" v-tooltip.top="'What else may be meant; at the end it begins again'" severity="secondary" label="another take" @click="anotherTake"
      />
      <ToggleButton
        v-if="found" v-tooltip.top="'Strokes say where it is; with Alt, where it is not'" :model-value="tools.tool === 'lead'"
        on-label="lead by strokes" off-label="lead by strokes" @update:model-value="tools.toggle('lead')"
      />
      <Button v-if="found && (part.shape as { led?: unknown[] }).led?.length" severity="secondary" label="Take the last stroke back" @click="withoutLast" />
      <Button
        v-for="(colour, k) in picked" :key="k" class="colour" severity="secondary" :aria-label="`Forget the colour ${colour.join(' ')}`"
        :style="{ background: `rgb(${colour.join(' ')})` }" @click="forget(k)"
      />
      <Button severity="secondary" label="Take it out" @click="areas.remove(index)" />
    </div>
  </div>
</template>

<style scoped>
.part { display: grid; grid-template-columns: repeat(auto-fill, minmax(156px, 1fr)); gap: 8px 22px; align-content: start; }
.acts { grid-column: 1 / -1; display: flex; gap: 6px; flex-wrap: wrap; align-items: center; }
.colour { width: 26px; height: 26px; padding: 0; }
</style>
