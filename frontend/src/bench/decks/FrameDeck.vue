<script setup lang="ts">
import { computed } from 'vue'

import Ruler from '../../parts/Ruler.vue'
import { largestOf, turnedRatio, type Point, type Rect } from '../geometry'
import { theBench } from '../useBench'
import type { Change } from '../useLedger'

const bench = theBench()
const ratios = ['free', '1:1', '4:5', '3:4', '5:7', '2:3', '9:16', '5:4', '4:3', '7:5', '3:2', '16:9', '2:1']

const crop = computed(() => bench.stepOf('crop'))
const ratio = computed(() => String(crop.value?.params?.ratio ?? ''))
const angle = computed(() => bench.head.value?.angle ?? 0)

/** The little outline of a ratio, drawn to scale. */
function outline(name: string) {
  const [across, down] = name.split(':').map(Number)
  const k = 17 / Math.max(across || 1.25, down || 1)
  return { width: `${k * (across || 1.25)}px`, height: `${k * (down || 1)}px` }
}

function rect([left, top, width, height]: [number, number, number, number]): Rect {
  return { left, top, width, height }
}
/** The largest crop of a ratio, about the middle of the present one. */
async function choose(name: string) {
  const now = bench.head.value
  if (!now) return
  bench.tool.value = 'crop'
  const present = rect(now.crop)
  const middle: Point = [present.left + present.width / 2, present.top + present.height / 2]
  const chosen = name === 'free' ? present : largestOf(name, rect(now.room), middle)
  await bench.putStep(`Crop ${name}`, bench.stepFor('crop', { ...chosen, ratio: name }))
}

function dragAngle(value: number) {
  bench.dragStep(bench.stepFor('straighten', { angle: value }))
}
async function settleAngle(value: number) {
  await bench.putStep('Straighten', { ...bench.stepFor('straighten', {}), params: { angle: value } })
}

/** Quarter turns and mirroring take the crop and the angle along. */
async function turn(way: 'left' | 'right' | 'mirror') {
  const present = bench.stepFor('turn', {})
  const quarters = Number(present.params?.quarters ?? 0)
  const mirrored = Boolean(present.params?.mirror)
  const by = way === 'right' ? 1 : way === 'left' ? -1 : 0
  const next = { quarters: (((quarters + (mirrored ? -by : by)) % 4) + 4) % 4, mirror: way === 'mirror' ? !mirrored : mirrored }
  const changes: Change[] = []
  const first = bench.steps.value.find((view) => view.station === 'frame')?.step.id
  if (next.quarters === 0 && !next.mirror) changes.push({ kind: 'remove', id: present.id ?? '' })
  else changes.push({ kind: 'put', step: { ...present, params: next }, before: first })
  const [width, height] = bench.head.value?.turned ?? [1, 1]
  if (crop.value) {
    const was = crop.value.params as unknown as Rect & { ratio: string }
    const moved =
      way === 'right'
        ? { left: height - was.top - was.height, top: was.left, width: was.height, height: was.width, ratio: turnedRatio(was.ratio) }
        : way === 'left'
          ? { left: was.top, top: width - was.left - was.width, width: was.height, height: was.width, ratio: turnedRatio(was.ratio) }
          : { ...was, left: width - was.left - was.width }
    changes.push({ kind: 'put', step: { ...crop.value, params: moved } })
  }
  const straighten = bench.stepOf('straighten')
  if (straighten && way === 'mirror') changes.push({ kind: 'put', step: { ...straighten, params: { angle: -Number(straighten.params?.angle ?? 0) } } })
  await bench.change(way === 'mirror' ? 'Mirror' : 'Turn', changes)
}
</script>

<template>
  <div class="deck">
    <div class="side">
      <button class="plain wide" type="button" :aria-pressed="bench.tool.value === 'crop'" @click="bench.tool.value = 'crop'">Crop</button>
      <button class="plain wide" type="button" :aria-pressed="bench.tool.value === 'line'" @click="bench.tool.value = 'line'">Level by a line</button>
      <div class="turns">
        <button class="plain" type="button" title="Quarter turn left" aria-label="Quarter turn left" @click="turn('left')">↶ 90°</button>
        <button class="plain" type="button" title="Quarter turn right" aria-label="Quarter turn right" @click="turn('right')">90° ↷</button>
        <button class="plain" type="button" @click="turn('mirror')">Mirror</button>
      </div>
    </div>
    <div class="main">
      <div class="ratios" role="group" aria-label="Ratio">
        <button v-for="name in ratios" :key="name" class="ratio" type="button" :aria-pressed="ratio === name" @click="choose(name)">
          <span class="outline" :class="{ free: name === 'free' }" :style="outline(name)"></span>
          <span class="number">{{ name }}</span>
        </button>
      </div>
      <Ruler
        name="straighten" :value="angle" :low="-10" :high="10" :step="0.05" :digits="2" unit="°" signed
        :before="Number(bench.before('straighten')?.params?.angle ?? 0)" :ends="['left', 'right']"
        @drag="dragAngle" @settle="settleAngle"
      />
    </div>
  </div>
</template>

<style scoped>
.deck { display: grid; grid-template-columns: 262px minmax(0, 1fr); height: 100%; }
.side { display: grid; gap: 8px; align-content: start; padding: 12px 14px; border-right: 1px solid var(--hairline); }
.turns { display: flex; gap: 6px; }
.turns .plain { flex: 1; padding: 0 4px; white-space: nowrap; }
.main { padding: 10px 20px 8px; display: grid; gap: 14px; align-content: start; }
.ratios { display: flex; gap: 4px; flex-wrap: wrap; }
.ratio { display: grid; grid-template-rows: 24px auto; justify-items: center; align-items: center; gap: 2px; width: 58px; padding: 4px 0; border: 1px solid transparent; border-radius: 3px; background: none; cursor: pointer; }
.ratio:hover { background: var(--paper); }
.ratio[aria-pressed='true'] { background: var(--sheet); border-color: var(--fern); }
.outline { border: 1.5px solid var(--ink); background: var(--paper); }
.outline.free { border-style: dashed; }
</style>
