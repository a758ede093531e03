<script setup lang="ts">
import { computed, ref } from 'vue'

import { clamp } from '../parts/scale'

/** How strongly a step counts, on its stub: dragged, or moved by keys. */
const props = defineProps<{ label: string; strength: number }>()
const emit = defineEmits<{ drag: [strength: number]; settle: [strength: number] }>()
const dragged = ref<number | null>(null)
const shown = computed(() => dragged.value ?? props.strength)
const percent = computed(() => Math.round(100 * shown.value))

function drag(event: PointerEvent, starts: boolean) {
  const bar = event.currentTarget as HTMLElement
  if (starts) bar.setPointerCapture(event.pointerId)
  else if (dragged.value === null) return
  const box = bar.getBoundingClientRect()
  dragged.value = Math.round(clamp((event.clientX - box.left) / box.width, 0, 1) * 100) / 100
  emit('drag', dragged.value)
}
function settle(to = dragged.value) {
  dragged.value = null
  if (to !== null) emit('settle', clamp(to, 0, 1))
}
</script>

<template>
  <span
    class="bar" role="slider" tabindex="0" :aria-label="label" aria-valuemin="0" aria-valuemax="100" :aria-valuenow="percent"
    @pointerdown="drag($event, true)" @pointermove="drag($event, false)" @pointerup="settle()"
    @keydown.left.prevent="settle(shown - 0.05)" @keydown.right.prevent="settle(shown + 0.05)"
  ><i :style="{ width: `${100 * shown}%` }"></i></span>
  <span class="number strength">{{ percent }}</span>
</template>

<style scoped>
.bar {
  height: 24px; padding: 10px 0; cursor: ew-resize; touch-action: none;
  background: linear-gradient(var(--hairline), var(--hairline)) center / 100% 4px no-repeat;
}
.bar i { display: block; height: 4px; background: var(--soft-ink); border-radius: 2px; }
.strength { text-align: right; font-weight: 500; font-size: 12px; }
</style>
