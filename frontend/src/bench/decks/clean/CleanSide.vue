<script setup lang="ts">
import Button from 'primevue/button'
import Checkbox from 'primevue/checkbox'
import Select from 'primevue/select'
import SelectButton from 'primevue/selectbutton'
import { computed, ref } from 'vue'

import { api, taken, type Schemas } from '../../../api/client'
import { newId } from '../../../common/ids'
import { tryingWith } from '../../../common/trying'
import { useSaying } from '../../../common/useSaying'
import { OUTLINES } from '../../clean/useClean'
import type { Control } from '../../rooms/useDecks'
import { theBench } from '../../useBench'

/** What the method in hand wants to know beside its rulers, and what can be done with the repair that is taken up. */
const { decks, ledger, tools, clean, frames, areas } = theBench()

const repair = computed(() => clean.repair)
const op = computed(() => repair.value?.op ?? tools.tool)
const about = computed(() => decks.of(op.value))
const interchangeable = computed(() =>
  decks.inStation('clean').filter(({ operation }) => operation.interchangeable).map(({ name, operation }) => ({ name, title: operation.title.toLowerCase() })),
)
const choices = computed(() => about.value?.controls.filter((one) => one.kind === 'choice') ?? [])
const switches = computed(() => about.value?.controls.filter((one) => one.kind === 'switch') ?? [])
const pieced = computed(() => ledger.steps.some((view) => view.station === 'pieces'))
const above = computed(() => (repair.value ? Boolean(repair.value.above) : clean.above))
const making = computed(() => frames.busy[repair.value?.id ?? ''] !== undefined)

function raise(to: boolean) {
  const step = repair.value
  if (step) void ledger.putStep(to ? 'Above the pieces' : 'Under the pieces', { ...step, above: to || null })
  else clean.above = to
}
function valueOf(control: Control): unknown {
  if (repair.value) return repair.value.params?.[control.param] ?? ('rest' in control ? control.rest : undefined)
  return clean.cloning[control.param as 'mirror']
}
const { sayError, sayProblem } = useSaying()
const trying = tryingWith(sayError)
const leading = ref(false)

/** Edges that end at the repair's place from both sides become guides, along which they run on through it. */
async function lead() {
  leading.value = true
  await trying(async () => {
    const params = { path: { photo: ledger.photo, step: repair.value?.id ?? '' } }
    const { lines } = taken(await api.GET('/api/photos/{photo}/steps/{step}/guides', { params })) as Schemas['LinesView']
    if (!lines.length) return sayProblem('No edge runs into this place from both sides.', 'Draw a line along it, with guide.')
    await ledger.change('Guides', lines.map((points) => ({
      kind: 'put', step: { id: newId(), op: 'guide', params: { points }, enabled: true, strength: 1 },
    })))
  })
  leading.value = false
}
function set(control: Control, value: unknown) {
  if (control.param === 'mirror') clean.cloning.mirror = value as 'none'
  const step = repair.value
  if (step) void ledger.putStep(`${about.value?.title} ${control.name}`, { ...step, params: { ...step.params, [control.param]: value } })
}
</script>

<template>
  <div class="side">
    <p v-if="!repair" class="small soft">{{ about?.how }}</p>
    <label v-if="!repair && about?.yields" v-tooltip.top="'Where an edge runs through a place, regrow is taken instead'" class="row small">
      <Checkbox v-model="clean.yielding" binary /> gives way at edges
    </label>
    <div v-if="repair" class="row taken">
      <label v-if="about?.interchangeable" class="row small">
        taken up as
        <Select
          size="small" :model-value="repair.op" :options="interchangeable" option-label="title" option-value="name" aria-label="Taken up as"
          @update:model-value="clean.switchTo(repair, $event)"
        />
      </label>
      <b v-else class="small">{{ about?.title.toLowerCase() }} taken up</b>
      <Button link size="small" :label="making ? 'Stop and remove' : 'Remove'" @click="ledger.remove(repair.id ?? '')" />
    </div>
    <Button
      v-if="!repair && areas.alongable" v-tooltip.top="'The cover that was copied in Areas is where it goes'" severity="secondary" size="small"
      label="Along the copied cover" @click="areas.along()"
    />
    <Button
      v-if="repair && about?.takes" v-tooltip.top="'Edges that end here from both sides run on through, each side grown from its own'" severity="secondary"
      size="small" label="Lead edges through" :disabled="leading" @click="lead()"
    />
    <label v-if="op === 'clone'" class="choice small"><Checkbox v-model="clean.cloning.follow" binary /> offset follows</label>
    <div v-for="control in choices" :key="control.param" class="row small">
      {{ control.name }}
      <SelectButton
        :model-value="valueOf(control)" :options="control.options" :allow-empty="false" :aria-label="control.name"
        @update:model-value="set(control, $event)"
      />
    </div>
    <div v-if="repair && switches.length" class="switches" :class="{ many: switches.length > 2 }">
      <label v-for="control in switches" :key="control.param" class="choice small">
        <Checkbox binary :model-value="valueOf(control)" @update:model-value="set(control, $event)" /> {{ control.name }}
      </label>
    </div>
    <label v-if="pieced" class="choice small"><Checkbox binary :model-value="above" @update:model-value="raise" /> above the pieces</label>
    <label v-if="about?.takes && !repair" class="choice small"><Checkbox v-model="clean.gathering" binary /> several places</label>
    <label class="row small outlines">outlines <Select v-model="clean.outlines" size="small" :options="OUTLINES" aria-label="Outlines" /></label>
  </div>
</template>

<style scoped>
.side { display: flex; flex-direction: column; gap: 3px; align-items: flex-start; width: 250px; }
.side:has(.many) { width: 276px; }
.switches { display: grid; gap: 4px; }
.many { grid-template-columns: auto auto; }
.row { display: flex; gap: 7px; align-items: center; }
.outlines { margin-top: auto; }
</style>
