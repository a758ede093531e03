<script setup lang="ts">
import Button from 'primevue/button'
import SelectButton from 'primevue/selectbutton'
import { computed } from 'vue'

import { METHOD_KEYS } from '../keys'
import { theBench } from '../useBench'
import CleanRulers from './clean/CleanRulers.vue'
import CleanSide from './clean/CleanSide.vue'
import SourceView from './clean/SourceView.vue'
import SpecksPanel from './clean/SpecksPanel.vue'
import TakesStrip from './clean/TakesStrip.vue'
import DeckFrame from './DeckFrame.vue'

const { decks, tools, clean } = theBench()

interface Method { name: string; title: string; key: string; how: string }
const methods = computed(() =>
  decks.inStation('clean').map(({ name, operation }) => ({
    limits: operation.limits,
    method: { name, title: operation.title.toLowerCase(), key: METHOD_KEYS[name]?.toUpperCase() ?? '', how: operation.how } satisfies Method,
  })),
)
const repairs = computed(() => methods.value.filter((one) => !one.limits).map((one) => one.method))
const limits = computed(() => methods.value.filter((one) => one.limits).map((one) => one.method))
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
      </template>
      <SpecksPanel v-if="tools.tool === 'specks'" />
      <CleanRulers v-else />
      <template v-if="tools.tool !== 'specks'" #side>
        <div class="beside">
          <CleanSide />
          <TakesStrip v-if="clean.repair && hasTakes" :key="clean.repair.id" :step="clean.repair" />
          <SourceView v-else-if="clean.repair?.params?.source" :step="clean.repair" />
        </div>
      </template>
      <template v-if="clean.gathered.length" #acts>
        <Button size="small" @click="clean.run()">Run {{ clean.gathered.length }} <span>Enter</span></Button>
      </template>
    </DeckFrame>
  </div>
</template>

<style scoped>
.clean { height: 100%; }
.methods + .methods { margin-left: auto; }
.methods :deep(.p-togglebutton-content) { padding: 0 7px; }
.beside { display: flex; gap: 12px; height: 100%; }
@media (max-width: 1200px) { .key { display: none; } .methods :deep(.p-togglebutton-content) { padding: 0 6px; } }
</style>
