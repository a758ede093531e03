<script setup lang="ts">
import Tab from 'primevue/tab'
import TabList from 'primevue/tablist'
import TabPanel from 'primevue/tabpanel'
import TabPanels from 'primevue/tabpanels'
import Tabs from 'primevue/tabs'
import { computed } from 'vue'

import { STATIONS } from './stations'
import { theBench } from './useBench'

/** Station tabs stand on the deck like index cards; the small number counts steps, for Check the lines that are short. */
const { ledger, tools, frames } = theBench()
const short = computed(() => frames.verdicts.filter((line) => line.state === 'short').length)
const tabs = computed(() =>
  STATIONS.map((one) => ({ ...one, count: one.holds.length ? ledger.countOf((view) => one.holds.includes(view.station)) : short.value })),
)
</script>

<template>
  <Tabs v-model:value="tools.station" lazy select-on-focus :show-navigators="false" class="stations" role="region" aria-label="Deck">
    <TabList class="tabs" aria-label="Stations">
      <Tab v-for="one in tabs" :key="one.name" :value="one.name" class="tab">
        {{ one.title }}<sup v-if="one.count" :class="{ short: !one.holds.length }">{{ one.count }}</sup>
      </Tab>
    </TabList>
    <TabPanels class="place">
      <TabPanel v-for="one in tabs" :key="one.name" :value="one.name" tabindex="-1">
        <component :is="one.deck" v-if="tools.station === one.name" />
      </TabPanel>
    </TabPanels>
  </Tabs>
</template>

<style scoped>
.stations { display: contents; }
.tabs { grid-area: tabs; background: var(--surround); padding-left: 1px; min-width: 0; }
.tabs :deep(.p-tablist-tab-list) { background: none; border: 0; gap: 4px; align-items: end; height: 100%; }
.tabs :deep(.p-tablist-active-bar) { display: none; }
.tab {
  height: 31px; padding: 0 14px; margin: 0; border: 1px solid var(--rule); border-bottom: 0; border-radius: 7px 7px 0 0;
  background: var(--bench); color: var(--ink); font-weight: 500; display: block;
}
.tab:hover { background: var(--deck); }
.tab.p-tab-active {
  background: var(--deck); font-weight: 700; color: var(--deep-fern); margin-bottom: -1px; height: 32px; position: relative; z-index: 1;
}
.tab:focus-visible { outline-offset: -3px; }
sup.short { color: var(--short); }
.place { grid-area: deck; padding: 0; background: var(--deck); border-top: 1px solid var(--rule); overflow: hidden; color: inherit; }
.place :deep(.p-tabpanel) { height: 100%; }
</style>
