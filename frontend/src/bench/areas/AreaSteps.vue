<script setup lang="ts">
import { computed } from 'vue'

import type { Step } from '../../api/client'
import StrengthBar from '../StrengthBar.vue'
import { theBench } from '../useBench'
import { heldBy } from './covers'
import { scopedTo } from './scoped'

/** Steps of light inside an area, each with its own strength, under the area's stub. */
const props = defineProps<{ area: Step }>()
const { ledger, decks, tools } = theBench()
const area = computed(() => props.area)
const scoped = scopedTo(area, ledger, decks)
const steps = computed(() => heldBy(area.value))
const title = (step: Step) => decks.of(step.op)?.title ?? step.op

function settle(step: Step, strength: number) {
  void scoped.putStep(`${title(step)} strength`, { ...step, strength })
}
function toggle(step: Step) {
  void scoped.putStep(`${title(step)} ${step.enabled === false ? 'on' : 'off'}`, { ...step, enabled: step.enabled === false })
}
function show(step: Step) {
  tools.groups.areas = decks.of(step.op)?.group
}
</script>

<template>
  <li v-for="step in steps" :key="step.id" class="inner" :class="{ off: step.enabled === false }">
    <button class="dot" type="button" role="switch" :aria-checked="step.enabled !== false" :aria-label="`${title(step)} on`" @click="toggle(step)">
      <i></i>
    </button>
    <button class="name" type="button" @click="show(step)">{{ title(step) }}</button>
    <StrengthBar
      :label="`${title(step)} strength in the area`" :strength="step.strength ?? 1" @drag="scoped.drag({ ...step, strength: $event })"
      @settle="settle(step, $event)"
    />
    <button class="remove" type="button" :aria-label="`Remove ${title(step)} from the area`" @click="scoped.remove(step.id ?? '')">×</button>
  </li>
</template>

<style scoped>
.inner { display: grid; grid-template-columns: 26px 1fr 44px 28px 24px; align-items: center; height: 24px; padding: 0 2px 0 17px; }
.inner:hover { background: var(--sheet); }
.off .name { text-decoration: line-through; color: var(--soft-ink); }
.dot, .name, .remove { height: 24px; border: 0; background: none; padding: 0; cursor: pointer; }
.dot { display: grid; place-items: center; }
.dot i { width: 8px; height: 8px; border-radius: 50%; background: var(--fern); border: 1.5px solid var(--fern); }
.off .dot i { background: none; }
.name { text-align: left; overflow: hidden; text-overflow: ellipsis; white-space: nowrap; }
.remove { visibility: hidden; font-size: 15px; line-height: 1; }
.inner:hover .remove, .inner:focus-within .remove { visibility: visible; }
</style>
