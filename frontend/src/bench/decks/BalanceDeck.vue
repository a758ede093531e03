<script setup lang="ts">
import SelectButton from 'primevue/selectbutton'
import ToggleButton from 'primevue/togglebutton'
import { computed, ref } from 'vue'

import Ruler from '../../parts/Ruler.vue'
import { theBench } from '../useBench'
import ControlGrid from './ControlGrid.vue'
import DeckFrame from './DeckFrame.vue'
import Histogram from './Histogram.vue'

const { decks, ledger, tools } = theBench()

interface Group { name: string; ops: string[]; count: number }
/** The groups of the deck, with the operations that name themselves theirs. */
const groups = computed<Group[]>(() => {
  const all = decks.inStation('balance', 'source')
  return (decks.all?.groups ?? []).flatMap((name) => {
    const ops = all.filter(({ operation }) => operation.group === name).map((one) => one.name)
    return ops.length ? [{ name, ops, count: ledger.countOf((view) => ops.includes(view.step.op)) }] : []
  })
})
const open = computed(() => groups.value.find((group) => group.name === tools.groups.balance) ?? groups.value[0])

/** How much of all proposals is taken; the steps are the truth, this only remembers the last drag. */
const share = ref(0)
async function take(value: number) {
  share.value = value
  await ledger.takeProposals(value / 100)
}
</script>

<template>
  <DeckFrame>
    <template #tools>
      <ToggleButton
        v-tooltip.top="'Pick something that should be white or grey'" :model-value="tools.tool === 'neutral'"
        @update:model-value="tools.pickNeutral()"
      >
        Neutral <span class="key" aria-hidden="true">N</span>
      </ToggleButton>
      <SelectButton
        :model-value="open?.name" :options="groups" option-label="name" option-value="name" :allow-empty="false"
        aria-label="Groups of rulers" @update:model-value="tools.groups.balance = $event"
      >
        <template #option="{ option }">{{ option.name }}<sup v-if="option.count">{{ option.count }}</sup></template>
      </SelectButton>
      <ToggleButton
        v-if="open?.ops.includes('hue_bands')" :model-value="tools.tool === 'hue'"
        @update:model-value="tools.toggle('hue')"
      >
        Pick this colour <span class="key" aria-hidden="true">G</span>
      </ToggleButton>
    </template>
    <ControlGrid v-if="open" :key="open.name" :ops="open.ops" />
    <template #side>
      <div class="tones">
        <Histogram />
        <Ruler
          v-if="decks.all" :ruler="decks.all.share" :value="share" :disabled="!ledger.proposed.length"
          @drag="share = $event" @settle="take"
        />
      </div>
    </template>
  </DeckFrame>
</template>

<style scoped>
.tones { display: grid; gap: 6px; width: 168px; align-content: start; }
</style>
