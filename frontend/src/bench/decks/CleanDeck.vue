<script setup lang="ts">
import { useMediaQuery } from '@vueuse/core'
import Button from 'primevue/button'
import Select from 'primevue/select'
import SelectButton from 'primevue/selectbutton'
import { computed, ref } from 'vue'

import { api, taken, type Schemas, type Step } from '../../api/client'
import { newId } from '../../common/ids'
import { useSaying } from '../../common/useSaying'
import { PLANE } from '../clean/usePlanes'
import { METHOD_KEYS } from '../keys'
import { theBench } from '../useBench'
import CleanRulers from './clean/CleanRulers.vue'
import CleanSide from './clean/CleanSide.vue'
import PlacesPanel from './clean/PlacesPanel.vue'
import SourceView from './clean/SourceView.vue'
import SpecksPanel from './clean/SpecksPanel.vue'
import TakesStrip from './clean/TakesStrip.vue'
import DeckFrame from './DeckFrame.vue'

const { decks, ledger, tools, clean, planes, places, view } = theBench()
const { sayError, sayProblem } = useSaying()
const finding = ref(false)
/** In place of a plane: the view, or the photo's own. */
const OWN = 'own'
const charts = computed(() => [
  { id: OWN, label: view.around.on ? 'the view' : "the photo's own" },
  ...planes.all.map((one) => ({ id: one.step.id ?? '', label: one.title })),
])

/** The outline of the stand in the downward view, grown shut there. */
async function standBelow() {
  finding.value = true
  try {
    const found = taken(await api.GET('/api/photos/{photo}/around/stand', { params: { path: { photo: ledger.photo } } })) as Schemas['StandView']
    const [points, ...others] = found.loops
    if (!points) return sayProblem('Nothing at the bottom is unlike the floor.', 'Draw around it by hand, with regrow.')
    view.around.set({ pitch: -90, field: 110 }, true)
    const mask: Step['mask'] = { kind: 'outline', points, others, feather: 6, view: found.view }
    const step: Step = { id: newId(), op: 'regrow', params: {}, mask, chart: found.view, enabled: true, strength: 1 }
    tools.tool = 'regrow'
    if (await ledger.putStep('Stand below', step)) tools.selected = step.id ?? null
  } catch (error) {
    sayError(error)
  } finally {
    finding.value = false
  }
}

interface Method { name: string; title: string; key: string; how: string }
const methods = computed(() =>
  decks.inStation('clean').map(({ name, operation }) => ({
    limits: operation.limits,
    rank: operation.rank,
    method: { name, title: operation.title.toLowerCase(), key: METHOD_KEYS[name]?.toUpperCase() ?? '', how: operation.how } satisfies Method,
  })),
)
/** Where the row is short, what is rarer goes into a list. */
const short = useMediaQuery('(max-width: 1200px)')
const RARER = { from: 105, to: 129 }
const rare = ({ rank }: { rank: number }) => short.value && rank >= RARER.from && rank <= RARER.to
const repairs = computed(() => methods.value.filter((one) => !one.limits && !rare(one)).map((one) => one.method))
const limits = computed(() => methods.value.filter((one) => one.limits && !rare(one)).map((one) => one.method))
const others = computed(() => methods.value.filter(rare).map((one) => one.method))
const rows = computed(() => [
  { label: 'Method', methods: repairs.value },
  { label: 'Limits', methods: limits.value },
])
const hasTakes = computed(() => Boolean(clean.repair && decks.of(clean.repair.op)?.takes))

function choose(name: string | null) {
  if (name) tools.tool = name
  tools.selected = null
}
</script>

<template>
  <div class="clean">
    <DeckFrame>
      <template #tools>
        <SelectButton
          v-for="row in rows" :key="row.label" class="methods" :model-value="tools.tool" :options="row.methods" option-label="title" option-value="name"
          :aria-label="row.label" @update:model-value="choose"
        >
          <template #option="{ option }">
            <span v-tooltip.top="option.how">{{ option.title }} <span v-if="option.key" class="key" aria-hidden="true">{{ option.key }}</span></span>
          </template>
        </SelectButton>
        <Select
          v-if="others.length" :model-value="tools.tool" :options="others" option-label="title" option-value="name" placeholder="more"
          aria-label="More methods" @update:model-value="choose"
        />
      </template>
      <SpecksPanel v-if="tools.tool === 'specks'" />
      <PlacesPanel v-else-if="places.kind" />
      <div v-else-if="tools.tool === PLANE" class="plane">
        <p class="small soft">{{ decks.of(PLANE)?.how }} What is repaired then follows its perspective.</p>
        <p class="acts">
          <Button :label="planes.changing ? 'Change the plane' : 'Set the plane'" @click="planes.save()" />
          <Button severity="secondary" label="From the lines here" :disabled="planes.searching" @click="planes.propose()" />
          <Button severity="secondary" label="Begin again" @click="planes.begin()" />
        </p>
      </div>
      <CleanRulers v-else />
      <template v-if="tools.tool !== 'specks' && !places.kind && tools.tool !== PLANE" #side>
        <div class="beside">
          <CleanSide />
          <TakesStrip v-if="clean.repair && hasTakes" :key="clean.repair.id" :step="clean.repair" />
          <SourceView v-else-if="clean.repair?.params?.source" :step="clean.repair" />
        </div>
      </template>
      <template #acts>
        <Button v-if="clean.gathered.length" size="small" @click="clean.run()">Run {{ clean.gathered.length }} <span>Enter</span></Button>
        <label v-if="planes.all.length || view.around.on" class="row small">
          in
          <Select
            :model-value="planes.inHand ?? OWN" size="small" :options="charts" option-label="label" option-value="id"
            aria-label="The plane that repairs work in"
            @update:model-value="planes.inHand = $event === OWN ? null : $event"
          />
        </label>
        <Button
          v-if="view.around.on" v-tooltip.top="'What stands at the bottom, with its shadow, grown shut; once more for the rest'" size="small"
          severity="secondary" label="stand below" :disabled="finding" @click="standBelow"
        />
      </template>
    </DeckFrame>
  </div>
</template>

<style scoped>
.clean { height: 100%; }
.methods + .methods { margin-left: auto; }
.methods :deep(.p-togglebutton-content) { padding: 0 5.5px; }
.plane, .acts { display: flex; gap: 8px; align-items: center; flex-wrap: wrap; }
.plane { flex-direction: column; align-items: start; padding-top: 6px; }
.row { display: flex; gap: 6px; align-items: center; }
.beside { display: flex; gap: 12px; height: 100%; }
@media (max-width: 1200px) { .key { display: none; } .methods :deep(.p-togglebutton-content) { padding: 0 6px; } }
</style>
