<script setup lang="ts">
import Button from 'primevue/button'
import { computed, ref, useTemplateRef } from 'vue'

import Ruler from '../../../parts/Ruler.vue'
import { clamp, shownIn, valueOf } from '../../../parts/scale'
import type { EditorTrait } from '../../rooms/useDecks'
import { theBench } from '../../useBench'

type Band = Record<string, number> & { hue: number }

/** Families of hue on a strip; the one that is taken up has rulers. */
const props = defineProps<{ op: string; editor: EditorTrait }>()
const { ledger, tools } = theBench()
const strip = useTemplateRef<HTMLElement>('strip')
const bandsOf = (params: Record<string, unknown> | undefined) => (params?.[props.editor.param] as Band[] | undefined) ?? []
const bands = computed(() => bandsOf(ledger.stepOf(props.op)?.params))
const before = computed(() => bandsOf(ledger.before(props.op)?.params))
const moving = ref<Band[] | null>(null)
const shown = computed(() => moving.value ?? bands.value)
const index = computed(() => Math.min(tools.band, shown.value.length - 1))
const band = computed(() => shown.value[index.value])

function step(to: Band[]) {
  return ledger.stepFor(props.op, { [props.editor.param]: to })
}
function changed(part: Record<string, number>): Band[] {
  return shown.value.map((one, k) => (k === index.value ? { ...one, ...part } : one))
}
function drag(part: Record<string, number>) {
  moving.value = changed(part)
  ledger.drag(step(moving.value))
}
async function settle(part: Record<string, number>, summary = 'Hue band') {
  await ledger.putStep(summary, step(changed(part)))
  moving.value = null
}
function hueAt(event: PointerEvent): number {
  const box = strip.value?.getBoundingClientRect()
  return box ? Math.round(360 * clamp((event.clientX - box.left) / box.width, 0, 1)) : 0
}
async function add(event: PointerEvent) {
  if (event.button !== 0 || bands.value.length >= props.editor.most) return
  await tools.addBand(hueAt(event))
}
let taken = false
function take(event: PointerEvent, k: number) {
  if (event.button !== 0) return
  tools.band = k
  taken = true
  ;(event.currentTarget as HTMLElement).setPointerCapture(event.pointerId)
}
function shift(event: PointerEvent) {
  if (taken) drag({ hue: hueAt(event) })
}
function drop() {
  taken = false
  if (moving.value && band.value) void settle({ hue: band.value.hue }, 'Move a hue band')
}
function turn(by: number) {
  if (band.value) void settle({ hue: (band.value.hue + by + 360) % 360 }, 'Move a hue band')
}
function remove() {
  void ledger.putStep('Remove a hue band', step(bands.value.filter((_, k) => k !== index.value)))
}
</script>

<template>
  <div class="hues">
    <div class="row">
      <div ref="strip" class="strip" @pointerdown.self="add">
        <button
          v-for="(one, k) in shown" :key="k" class="mark" :class="{ chosen: k === index }" type="button" :style="{ left: `${one.hue / 3.6}%` }"
          :aria-label="`Band at ${one.hue}°`" :aria-pressed="k === index"
          @pointerdown.stop="take($event, k)" @pointermove="shift" @pointerup="drop" @pointercancel="drop" @focus="tools.band = k"
          @keydown.left.prevent="turn(-1)" @keydown.right.prevent="turn(1)" @keydown.delete.prevent="remove"
        ></button>
      </div>
      <Button severity="secondary" label="Remove band" :disabled="!band" @click="remove" />
    </div>
    <div v-if="band" class="parts">
      <Ruler
        v-for="ruler in editor.rulers" :key="ruler.param" :ruler="ruler" :value="shownIn(ruler, band) ?? ruler.rest"
        :before="shownIn(ruler, before[index])"
        @drag="drag({ [ruler.param]: valueOf(ruler, $event) })" @settle="settle({ [ruler.param]: valueOf(ruler, $event) })"
      />
    </div>
    <p v-else class="soft">Pick a colour in the picture, or press on the strip: a family of hues is taken up, to be turned, made stronger or lighter.</p>
  </div>
</template>

<style scoped>
.hues { grid-column: 1 / -1; display: grid; gap: 10px; padding-top: 6px; }
.row { display: flex; gap: 14px; align-items: center; }
.strip {
  position: relative; flex: 1; height: 24px; border: 1px solid var(--rule); border-radius: 3px; cursor: copy;
  background: linear-gradient(to right, #d33 0%, #cc3 16.67%, #3b3 33.33%, #3bb 50%, #34c 66.67%, #b3b 83.33%, #d33 100%);
}
.mark {
  position: absolute; top: -3px; width: 24px; height: 28px; margin-left: -12px; padding: 0; border: 0; background: none; cursor: ew-resize;
  touch-action: none;
}
.mark::before {
  content: ''; position: absolute; inset: 0 6px; border: 2px solid var(--ink); border-radius: 3px; background: rgb(255 255 255 / 0.75);
}
.mark.chosen::before { border-color: var(--fern); background: var(--sheet); box-shadow: 0 0 0 1px #fff; }
.parts { display: grid; grid-template-columns: repeat(4, minmax(0, 1fr)); gap: 14px 26px; }
</style>
