<script setup lang="ts">
import Button from 'primevue/button'
import { computed } from 'vue'

import type { Schemas } from '../../../api/client'
import Ruler from '../../../parts/Ruler.vue'
import { shownIn, shownOf, valueOf } from '../../../parts/scale'
import { theBench } from '../../useBench'

/** Faces, or mirrors: a list of places, each decided about. */
const { decks, ledger, tools, places, clean } = theBench()
const about = computed(() => decks.of(tools.tool))
const hides = computed(() => places.kind?.field === 'hidden')
const rulers = computed(() => about.value?.controls.filter((one) => one.kind === 'ruler') ?? [])
const choices = computed(() => about.value?.controls.filter((one) => one.kind === 'choice') ?? [])
const size = computed(() => decks.tip('size'))
const decided = computed(() => (places.now ? places.isDecided(places.now) : false))
const says = computed(() => {
  const now = places.now
  if (!now) return ''
  if (hides.value) return now.hidden == null ? 'open' : now.hidden ? 'hidden' : 'let be'
  return now.looked ? 'looked at: nothing shows' : 'not looked at yet'
})

function set(param: string, value: unknown) {
  const step = places.step
  if (step) void ledger.putStep(`${about.value?.title} ${param}`, { ...step, params: { ...step.params, [param]: value } })
}
function own(param: string, rest: unknown): unknown {
  return places.step?.params?.[param] ?? rest
}
function resize(shown: number, settle: boolean) {
  if (!size.value) return
  const value = valueOf(size.value, shown)
  clean.setTip('size', value)
  if (settle && places.now?.size) void places.reshape({ size: Math.round(10 * value) / 10 })
}
/** A plate is wider than high, and may lean. */
const SHAPE: Schemas['ShownRuler'][] = [
  { kind: 'ruler', param: 'wide', name: 'width', unit: '×', step: 0.1, low: 1, high: 8, rest: 1, times: 1, plus: 0, ends: null, scale: 'linear' },
  { kind: 'ruler', param: 'turn', name: 'turned', unit: '°', step: 1, low: -90, high: 90, rest: 0, times: 1, plus: 0, ends: null, scale: 'linear' },
]
</script>

<template>
  <div class="places">
    <div class="rulers" :class="{ shaped: hides && places.now }">
      <template v-if="hides">
        <Ruler
          v-if="size" :ruler="size" :value="shownOf(size, places.now?.size ?? clean.brush.size ?? 0)" @drag="resize($event, false)"
          @settle="resize($event, true)"
        />
        <Ruler
          v-for="one in rulers" :key="one.param" :ruler="one" :value="shownOf(one, Number(own(one.param, valueOf(one, one.rest))))"
          @settle="set(one.param, valueOf(one, $event))"
        />
        <template v-if="places.now">
          <Ruler
            v-for="one in SHAPE" :key="one.param" :ruler="one" :value="shownIn(one, { ...places.now }) ?? one.rest"
            @settle="places.reshape({ [one.param]: $event })"
          />
        </template>
      </template>
      <p v-else class="small soft">{{ about?.how }}</p>
    </div>
    <div class="review" role="status">
      <p v-if="places.searching">
        Looking everywhere for {{ places.searching }}; that takes a while… <Button link label="Stop" @click="places.stop()" />
      </p>
      <p v-else-if="!places.places.length">
        {{ hides ? 'Nothing is listed. Look for faces or plates, or click one.' : 'No mirror is marked. Click each one.' }}
      </p>
      <p v-else>
        <span class="number big">{{ places.at + 1 }} / {{ places.places.length }}</span> · {{ says }}
        <span class="small soft"> · {{ places.open }} open</span>
      </p>
      <p class="acts">
        <template v-if="hides">
          <Button severity="secondary" label="Look for faces" :disabled="!!places.searching" @click="places.find()" />
          <Button severity="secondary" label="Look for plates" :disabled="!!places.searching" @click="places.find('plates')" />
        </template>
        <template v-if="places.now">
          <Button :severity="decided ? 'secondary' : undefined" :label="places.kind?.yes" @click="places.decide(true)" />
          <Button severity="secondary" :label="places.kind?.no" @click="places.decide(false)" />
          <Button severity="secondary" label="◂" aria-label="The place before" @click="places.visit(places.at - 1)" />
          <Button severity="secondary" label="▸" aria-label="The next place" @click="places.visit(places.at + 1)" />
          <Button severity="secondary" label="Remove" @click="places.remove()" />
          <Button v-if="hides && places.open > 1" severity="secondary" :label="`Hide all ${places.open} open`" @click="places.all()" />
        </template>
      </p>
      <p v-for="one in choices" :key="one.param" class="acts">
        {{ one.name }}
        <Button
          v-for="option in one.options" :key="option" size="small" :severity="own(one.param, one.rest) === option ? undefined : 'secondary'" :label="option"
          :aria-pressed="own(one.param, one.rest) === option" @click="set(one.param, option)"
        />
      </p>
    </div>
  </div>
</template>

<style scoped>
.places { display: grid; grid-template-columns: auto 1fr; gap: 24px; }
.rulers { display: grid; width: 240px; gap: 5px 18px; align-content: start; }
.shaped { width: 420px; grid-template-columns: 1fr 1fr; }
.review { display: grid; gap: 6px; align-content: start; padding-top: 4px; }
.acts { display: flex; gap: 6px; flex-wrap: wrap; align-items: center; }
.big { font-size: 15px; }
</style>
