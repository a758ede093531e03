<script setup lang="ts">
import { computed, ref, useTemplateRef } from 'vue'

import Ruler from '../../../parts/Ruler.vue'
import { clamp } from '../../../parts/scale'
import { theBench } from '../../useBench'

interface Band { hue: number; width: number; turn: number; saturation: number; lightness: number }
type Part = 'width' | 'turn' | 'saturation' | 'lightness'

const bench = theBench()
const strip = useTemplateRef<HTMLElement>('strip')
const bands = computed(() => (bench.stepOf('hue_bands')?.params?.bands as Band[] | undefined) ?? [])
const before = computed(() => (bench.before('hue_bands')?.params?.bands as Band[] | undefined) ?? [])
const moving = ref<Band[] | null>(null)
const shown = computed(() => moving.value ?? bands.value)
const index = computed(() => Math.min(bench.band.value, shown.value.length - 1))
const band = computed(() => shown.value[index.value])

function step(to: Band[]) {
  return bench.stepFor('hue_bands', { bands: to })
}
function changed(part: Partial<Band>): Band[] {
  return shown.value.map((one, k) => (k === index.value ? { ...one, ...part } : one))
}
function drag(part: Partial<Band>) {
  moving.value = changed(part)
  bench.dragStep(step(moving.value))
}
async function settle(part: Partial<Band>, summary = 'Hue band') {
  await bench.putStep(summary, step(changed(part)))
  moving.value = null
}
function hueAt(event: PointerEvent): number {
  const box = strip.value?.getBoundingClientRect()
  return box ? Math.round(360 * clamp((event.clientX - box.left) / box.width, 0, 1)) : 0
}
async function add(event: PointerEvent) {
  if (event.button !== 0 || bands.value.length >= 12) return
  await bench.addBand(hueAt(event))
}
let taken = false
function take(event: PointerEvent, k: number) {
  if (event.button !== 0) return
  bench.band.value = k
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
function remove() {
  void bench.putStep('Remove a hue band', step(bands.value.filter((_, k) => k !== index.value)))
}
const parts: { name: Part; title: string; low: number; high: number; rest: number; unit: string }[] = [
  { name: 'turn', title: 'turn', low: -60, high: 60, rest: 0, unit: '°' },
  { name: 'saturation', title: 'saturation', low: -100, high: 100, rest: 0, unit: '' },
  { name: 'lightness', title: 'lightness', low: -100, high: 100, rest: 0, unit: '' },
  { name: 'width', title: 'width', low: 5, high: 180, rest: 60, unit: '°' },
]
</script>

<template>
  <div class="hues">
    <div class="row">
      <button class="plain" type="button" :aria-pressed="bench.tool.value === 'hue'" title="Key G" @click="bench.tool.value = bench.tool.value === 'hue' ? 'look' : 'hue'">Pick this colour</button>
      <div ref="strip" class="strip" @pointerdown.self="add">
        <button
          v-for="(one, k) in shown" :key="k" class="mark" :class="{ chosen: k === index }" type="button" :style="{ left: `${one.hue / 3.6}%` }"
          :aria-label="`Band at ${one.hue}°`" :aria-pressed="k === index" @pointerdown.stop="take($event, k)" @pointermove="shift" @pointerup="drop" @pointercancel="drop"
          @focus="bench.band.value = k" @keydown.left.prevent="settle({ hue: (one.hue + 359) % 360 })" @keydown.right.prevent="settle({ hue: (one.hue + 1) % 360 })" @keydown.delete.stop.prevent="remove"
        ></button>
      </div>
      <button class="plain" type="button" :disabled="!band" @click="remove">Remove band</button>
    </div>
    <div v-if="band" class="parts">
      <Ruler
        v-for="part in parts" :key="part.name" :name="part.title" :value="band[part.name]" :low="part.low" :high="part.high" :rest="part.rest" :unit="part.unit" :signed="part.rest === 0"
        :before="before[index]?.[part.name]" @drag="drag({ [part.name]: $event })" @settle="settle({ [part.name]: $event })"
      />
    </div>
    <p v-else class="soft">Pick a colour in the picture, or press on the strip: a family of hues is taken up, to be turned, made stronger or lighter.</p>
  </div>
</template>

<style scoped>
.hues { display: grid; gap: 16px; padding: 14px 20px; align-content: start; }
.row { display: flex; gap: 14px; align-items: center; }
.strip { position: relative; flex: 1; height: 22px; border: 1px solid var(--rule); border-radius: 3px; cursor: copy; background: linear-gradient(to right, #d33 0%, #cc3 16.67%, #3b3 33.33%, #3bb 50%, #34c 66.67%, #b3b 83.33%, #d33 100%); }
.mark { position: absolute; top: -4px; width: 12px; height: 28px; margin-left: -6px; padding: 0; border: 2px solid var(--ink); border-radius: 3px; background: rgb(255 255 255 / 0.75); cursor: ew-resize; touch-action: none; }
.mark.chosen { border-color: var(--fern); background: var(--sheet); box-shadow: 0 0 0 1px #fff; }
.parts { display: grid; grid-template-columns: repeat(4, minmax(0, 1fr)); gap: 14px 26px; }
</style>
