<script setup lang="ts">
import { computed } from 'vue'

import { theBench } from '../useBench'
import ControlGrid from './ControlGrid.vue'
import DeckFrame from './DeckFrame.vue'

const { decks } = theBench()
const ops = computed(() => decks.inStation('finish').map(({ name }) => name))
</script>

<template>
  <DeckFrame>
    <template #tools><p class="soft">What is laid over the finished crop. It follows the crop when that changes.</p></template>
    <ControlGrid class="finish" :ops="ops" />
  </DeckFrame>
</template>

<style scoped>
.finish { grid-template-columns: repeat(auto-fill, minmax(210px, 1fr)); }
</style>
