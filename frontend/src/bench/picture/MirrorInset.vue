<script setup lang="ts">
import { theBench } from '../useBench'

/** What the mirror under review should show, beside it. */
const { places } = theBench()
</script>

<template>
  <figure v-if="places.glass" class="inset">
    <img :src="places.glass.sees" alt="What the mirror should show" draggable="false" />
    <figcaption class="small">
      what it should show, from far off
      <span v-if="!places.glass.told" class="soft">· no lines tell how it hangs: as if it faced you</span>
    </figcaption>
  </figure>
</template>

<style scoped>
.inset {
  position: absolute; left: 74px; top: 44px; width: min(300px, 32%); margin: 0;
  border: 1px solid var(--ink); background: var(--sheet); pointer-events: none;
}
img { display: block; width: 100%; aspect-ratio: 3 / 2; background: var(--bench); }
figcaption { padding: 3px 8px; }
</style>
