<script setup lang="ts">
import Button from 'primevue/button'
import { computed, ref } from 'vue'

import { api, taken, type Schemas } from '../../api/client'
import { useSaying } from '../../common/useSaying'
import type { Picked } from '../types'
import { theBench } from '../useBench'
import ControlField from './ControlField.vue'
import { usePlace } from './editors/usePlace'

/** What turns a panorama's sphere, and what says where a viewer of it begins. */
const { decks, ledger, view } = theBench()
const { sayError, sayProblem, say } = useSaying()
const groups = computed(() =>
  decks.inStation('frame').filter(({ operation }) => operation.group === 'sphere').map(({ name, operation }) => ({ name, controls: operation.controls })),
)
const searching = ref(false)
const { asked, ask } = usePlace()
const marks = ref<[number, number][]>([])

/** Where the camera leaned to, by the edges of what stands upright. */
async function byEdges() {
  searching.value = true
  try {
    const found = taken(await api.GET('/api/photos/{photo}/around/uprights', { params: { path: { photo: ledger.photo } } })) as Schemas['UprightsView']
    if (found.pitch == null) return sayProblem('Too few upright edges agree.', 'Mark the horizon in two places instead.')
    const { pitch, roll, error } = found
    await ledger.putStep('Level by upright edges', ledger.stepFor('horizon', { pitch, roll, marks: [], sphere: view.around.sphere }))
    say(`Levelled. Half of the upright edges stand within ${error}°.`)
  } catch (error) {
    sayError(error)
  } finally {
    searching.value = false
  }
}
/** Two places on the true horizon, one after the other. */
function byMarks() {
  marks.value = []
  ask('first', one)
}
function one({ x, y }: Picked) {
  marks.value = [[x, y]]
  ask('second', other)
}
async function other({ x, y }: Picked) {
  const params = { marks: [...marks.value, [x, y]], pitch: null, roll: null, sphere: view.around.sphere }
  await ledger.putStep('Level by two marks', ledger.stepFor('horizon', params))
}
async function startHere() {
  const { heading, pitch, field } = view.around.eye
  await ledger.putStep('Start here', ledger.stepFor('start', { heading, pitch, field }))
}
</script>

<template>
  <div class="sphere">
    <div v-for="{ name, controls } in groups" :key="name" class="rulers">
      <ControlField v-for="control in controls" :key="control.param" :op="name" :control="control" />
    </div>
    <div class="acts">
      <Button size="small" severity="secondary" label="Level by upright edges" :disabled="searching" @click="byEdges" />
      <Button
        size="small" :severity="asked ? undefined : 'secondary'" :label="asked ? `Click the horizon: ${asked} place` : 'Level by two marks'" @click="byMarks"
      />
      <Button
        v-tooltip.top="'Where you looked last when you looked around'" size="small" severity="secondary"
        :label="`Start at ${Math.round(view.around.eye.heading)}°, ${Math.round(view.around.eye.pitch)}°`" @click="startHere"
      />
    </div>
  </div>
</template>

<style scoped>
.sphere { display: grid; grid-template-columns: 1fr 1fr auto; gap: 4px 26px; }
.rulers { display: grid; grid-template-columns: repeat(auto-fit, minmax(130px, 1fr)); gap: 4px 18px; align-content: start; }
.acts { display: grid; gap: 5px; align-content: start; }
</style>
