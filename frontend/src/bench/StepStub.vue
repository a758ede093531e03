<script setup lang="ts">
import ProgressBar from 'primevue/progressbar'

import StrengthBar from './StrengthBar.vue'

/** One step of the list, or several that stand in it as one. */
defineProps<{
  title: string
  enabled: boolean
  /** How strongly it counts; null where there is no half of it. */
  strength: number | null
  /** The share that is made of what is still being made. */
  made?: number
}>()
const emit = defineEmits<{ toggle: []; remove: []; drag: [strength: number]; settle: [strength: number] }>()
</script>

<template>
  <li class="stub" :class="{ off: !enabled }">
    <button class="dot" type="button" role="switch" :aria-checked="enabled" :aria-label="`${title} on`" @click="emit('toggle')">
      <i></i>
    </button>
    <slot></slot>
    <ProgressBar v-if="made !== undefined" class="made" :value="100 * made" :aria-label="`${title} is being made`" />
    <StrengthBar
      v-else-if="strength !== null" :label="`${title} strength`" :strength="strength"
      @drag="emit('drag', $event)" @settle="emit('settle', $event)"
    />
    <span v-else class="wide"></span>
    <button class="remove" type="button" :aria-label="`Remove ${title}`" @click="emit('remove')">×</button>
  </li>
</template>

<style scoped>
.stub {
  display: grid; grid-template-columns: 24px 1fr 40px 28px 24px; align-items: center; height: 24px; border-left: 3px solid transparent;
  padding-right: 2px;
}
.stub:hover { background: var(--sheet); }
.stub.active { background: var(--pale-fern); border-left-color: var(--fern); font-weight: 600; }
.stub.off :slotted(.name) { text-decoration: line-through; color: var(--soft-ink); }
.dot { height: 24px; border: 0; background: none; cursor: pointer; padding: 0; display: grid; place-items: center; }
.dot i { width: 10px; height: 10px; border-radius: 50%; background: var(--fern); border: 1.5px solid var(--fern); }
.off .dot i { background: none; }
.stub :slotted(.name) {
  height: 24px; text-align: left; border: 0; background: none; padding: 0 6px 0 0; cursor: pointer; overflow: hidden; text-overflow: ellipsis;
  white-space: nowrap; font-weight: inherit;
}
.made { grid-column: span 2; width: 100%; height: 6px; }
.wide { grid-column: span 2; }
.remove { height: 24px; border: 0; background: none; cursor: pointer; padding: 0; visibility: hidden; font-size: 15px; line-height: 1; }
.stub:hover .remove, .stub:focus-within .remove, .stub.active .remove { visibility: visible; }
</style>
