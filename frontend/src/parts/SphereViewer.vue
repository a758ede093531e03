<script setup lang="ts">
import type { Viewer } from '@photo-sphere-viewer/core'
import { onBeforeUnmount, onMounted, ref, useTemplateRef } from 'vue'

/**
 * A file looked at from inside by a viewer that is not ours: it begins where the file's own data say, and knows nothing
 * but the file. Loaded only when somebody looks.
 */
const props = defineProps<{ src: string; title: string }>()
const box = useTemplateRef<HTMLElement>('box')
const problem = ref('')
const ready = ref(false)
let viewer: Viewer | undefined

onMounted(async () => {
  try {
    const [{ Viewer }] = await Promise.all([import('@photo-sphere-viewer/core'), import('@photo-sphere-viewer/core/index.css')])
    if (!box.value) return
    viewer = new Viewer({ container: box.value, panorama: props.src, navbar: ['zoom', 'move', 'fullscreen'], loadingTxt: '' })
    viewer.addEventListener('ready', () => (ready.value = true), { once: true })
    viewer.addEventListener('panorama-error', () => (problem.value = 'The viewer could not show this file.'), { once: true })
  } catch {
    problem.value = 'This browser cannot show it from inside: it has no WebGL.'
  }
})
onBeforeUnmount(() => viewer?.destroy())
</script>

<template>
  <div class="sphere" role="region" :aria-label="`${title}, looked at from inside`" :data-ready="ready">
    <div ref="box" class="box"></div>
    <p v-if="problem" role="alert">{{ problem }}</p>
  </div>
</template>

<style scoped>
.sphere { position: relative; width: 100%; height: 100%; min-height: 240px; background: var(--deck); }
.box { position: absolute; inset: 0; }
p { position: absolute; inset: 45% 0 auto; text-align: center; }
</style>
