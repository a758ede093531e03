<script setup lang="ts">
import { computed, ref, useTemplateRef } from 'vue'

import type { Schemas } from '../api/client'
import { useCloser } from './useCloser'

/** One proof as large as there is room for, with the notes pinned on it. */
const props = defineProps<{ photo: Schemas['ProofPhoto']; token: string; pin: { x: number; y: number } | null }>()
const emit = defineEmits<{ pin: [x: number, y: number] }>()
const before = defineModel<boolean>('before', { required: true })
const frame = useTemplateRef<HTMLElement>('frame')
const come = ref(false)

const closer = useCloser({
  box: () => frame.value?.getBoundingClientRect() ?? { left: 0, top: 0, width: 1, height: 1 },
  tapped: (x, y) => emit('pin', x, y),
  held: (on) => (before.value = on),
})
const path = computed(() => `/api/proofs/${props.token}/${props.photo.id}`)
const pins = computed(() =>
  props.photo.notes.flatMap(({ id, x, y }, index) => (x == null || y == null ? [] : [{ id, number: index + 1, x, y }])),
)
const at = ({ x, y }: { x: number; y: number }) => ({ left: `${100 * x}%`, top: `${100 * y}%` })
/** Pins keep their size when the picture comes closer. */
const upright = computed(() => ({ transform: `scale(${1 / closer.scale})` }))
</script>

<template>
  <div
    ref="frame" class="frame" :class="{ close: closer.scale > 1 }" :style="{ aspectRatio: `${photo.width} / ${photo.height}` }"
    @pointerdown="closer.down" @pointermove="closer.move" @pointerup="closer.up" @pointercancel="closer.cancel" @pointerleave="closer.cancel"
    @contextmenu.prevent
  >
    <div class="picture" :style="closer.style">
      <img :src="`${path}/picture`" :alt="photo.title" loading="lazy" draggable="false" @load="come = true" />
      <img v-if="before" class="before" :src="`${path}/thumbnail`" alt="as it came" draggable="false" />
      <span v-for="pinned in pins" :key="pinned.id" class="pin number" :style="{ ...at(pinned), ...upright }">{{ pinned.number }}</span>
      <span v-if="pin" class="pin new" :style="{ ...at(pin), ...upright }"></span>
    </div>
    <span v-if="!come" class="coming">being made…</span>
    <span v-if="before" class="banner">as it came</span>
  </div>
</template>

<style scoped>
.frame {
  position: relative; overflow: hidden; width: 100%; max-height: calc(100vh - 130px); background: var(--deck); cursor: crosshair;
  touch-action: pan-y; user-select: none; -webkit-touch-callout: none;
}
.frame.close { touch-action: none; }
.picture { position: absolute; inset: 0; transform-origin: 0 0; }
.picture img { position: absolute; inset: 0; width: 100%; height: 100%; object-fit: contain; pointer-events: none; }
.pin {
  position: absolute; width: 24px; height: 24px; margin: -12px; border-radius: 50%; background: var(--paper);
  border: 1.5px solid var(--ink); display: grid; place-items: center; pointer-events: none;
}
.pin.new { border-style: dashed; }
.banner { position: absolute; top: 10px; left: 10px; padding: 3px 9px; background: var(--ink); color: #fff; border-radius: 3px; }
.coming { position: absolute; inset: 45% 0 auto; text-align: center; color: var(--soft-ink); }
</style>
