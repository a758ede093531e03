<script setup lang="ts">
import { computed, ref } from 'vue'

import type { Part, Shape } from '../../areas/covers'
import { outlineOf, pathOf, round } from '../../clean/shapes'
import { touchOf, type Touch } from '../../clean/usePainting'
import { theBench } from '../../useBench'
import type { Point } from '../geometry'
import CastOverlay from './CastOverlay.vue'
import PlaceHandles, { type Handle } from './PlaceHandles.vue'

/** What the hand does to a cover on the picture: paints, draws around, lays gradients, picks; and the gradients' handles. */
const { tools, view, areas, clean } = theBench()
const drawn = ref<Touch[] | null>(null)
const erase = ref(false)

const tipped = computed(() => ['brush', 'edged', 'lead'].includes(tools.tool))
const acting = computed(() => tipped.value || ['outline', 'straight', 'round', 'colours'].includes(tools.tool))
const line = computed(() => (drawn.value ?? []).map(([x, y]) => view.stageOfHand([x, y])))
const width = computed(() => Math.max(2, (clean.brush.size ?? 0) * view.sourceScale))

const placeOf = (event: PointerEvent) => touchOf(event, view)
function start(event: PointerEvent) {
  if (event.button !== 0) return
  ;(event.currentTarget as SVGElement).setPointerCapture(event.pointerId)
  erase.value = event.altKey
  drawn.value = [placeOf(event)]
}
function move(event: PointerEvent) {
  const points = drawn.value
  if (!points) return
  const at = placeOf(event)
  const last = points[points.length - 1]
  if (tools.tool === 'straight' || tools.tool === 'round') drawn.value = [points[0] as Touch, at]
  else if (last && Math.hypot(at[0] - last[0], at[1] - last[1]) >= 2 / view.sourceScale) drawn.value = [...points, at]
}
async function end() {
  const points = drawn.value
  if (!points) return
  const [first, last] = [points[0] as Touch, points[points.length - 1] as Touch]
  const far = Math.hypot(last[0] - first[0], last[1] - first[1]) * view.sourceScale > 4
  const ends: [Point, Point] = [view.sourceOfHand([first[0], first[1]]), view.sourceOfHand([last[0], last[1]])]
  if (tools.tool === 'colours') await areas.pick(ends[0])
  else if (tipped.value) await areas.paint(points, erase.value)
  else if (tools.tool === 'outline' && points.length > 4) await areas.close(points.map(([x, y]): Point => [x, y]))
  else if (tools.tool === 'straight' && far) await areas.add({ kind: 'straight', start: ends[0], end: ends[1] })
  else if (tools.tool === 'round' && far) await areas.add(hoop(ends))
  drawn.value = null
}
function hoop([middle, rim]: [Point, Point]): Shape {
  const radii: [number, number] = [Math.max(2, Math.abs(rim[0] - middle[0])), Math.max(2, Math.abs(rim[1] - middle[1]))]
  return { kind: 'round', middle, radii, soft: 0.5, angle: 0 }
}

// ------------------------------------------------------------------------------------------------- handles

const straight = computed(() => (areas.part?.shape.kind === 'straight' ? areas.part.shape : null))
const round_ = computed(() => (areas.part?.shape.kind === 'round' ? areas.part.shape : null))
const axis = (angle: number, long: number): Point => [Math.cos((angle * Math.PI) / 180) * long, Math.sin((angle * Math.PI) / 180) * long]
const handles = computed<Handle[]>(() => {
  if (straight.value) {
    return [{ name: 'start', says: 'All of it from here', at: straight.value.start }, { name: 'end', says: 'Nothing from here', at: straight.value.end }]
  }
  if (!round_.value) return []
  const { middle, radii, angle } = round_.value
  const [across, down] = [axis(angle ?? 0, radii[0]), axis((angle ?? 0) + 90, radii[1])]
  return [
    { name: 'middle', says: 'Middle', at: middle },
    { name: 'across', says: 'First radius', at: [middle[0] + across[0], middle[1] + across[1]] },
    { name: 'down', says: 'Second radius', at: [middle[0] + down[0], middle[1] + down[1]] },
  ]
})
/** A straight gradient is two ruled lines, with a caret between them that says which way it falls. */
const ruled = computed(() => {
  if (!straight.value) return null
  const [a, b] = [view.stageOfSource(straight.value.start), view.stageOfSource(straight.value.end)]
  const [dx, dy] = [b[0] - a[0], b[1] - a[1]]
  const long = Math.hypot(dx, dy) || 1
  const [nx, ny] = [(-dy / long) * 2000, (dx / long) * 2000]
  const across = ([x, y]: Point) => `M${x - nx} ${y - ny}L${x + nx} ${y + ny}`
  const [mx, my] = [(a[0] + b[0]) / 2, (a[1] + b[1]) / 2]
  const [ux, uy] = [(dx / long) * 7, (dy / long) * 7]
  return { lines: across(a) + across(b), caret: `M${mx - ux - uy} ${my - uy + ux}L${mx + ux} ${my + uy}L${mx - ux + uy} ${my - uy - ux}Z` }
})
const hooped = computed(() => {
  if (!round_.value) return ''
  const { middle, radii, angle, soft } = round_.value
  const ring = (share: number) => {
    const points = Array.from({ length: 64 }, (_, k): Point => {
      const turn = (k / 64) * 2 * Math.PI
      const [ax, ay] = axis(angle ?? 0, radii[0] * share * Math.cos(turn))
      const [bx, by] = axis((angle ?? 0) + 90, radii[1] * share * Math.sin(turn))
      return view.stageOfSource([middle[0] + ax + bx, middle[1] + ay + by])
    })
    return outlineOf(points)
  }
  return ring(1) + ((soft ?? 0.5) < 1 ? ring(1 - (soft ?? 0.5)) : '')
})

function moved(name: string, to: Point): Partial<Part> {
  const at: [number, number] = [round(to[0]), round(to[1])]
  if (straight.value) return { shape: { ...straight.value, [name]: at } }
  const shape = round_.value as Extract<Shape, { kind?: 'round' }>
  if (name === 'middle') return { shape: { ...shape, middle: at } }
  const [dx, dy] = [at[0] - shape.middle[0], at[1] - shape.middle[1]]
  const long = Math.max(2, Math.hypot(dx, dy))
  const angle = Math.round((Math.atan2(dy, dx) * 180) / Math.PI - (name === 'down' ? 90 : 0))
  const radii: [number, number] = name === 'across' ? [long, shape.radii[1]] : [shape.radii[0], long]
  return { shape: { ...shape, radii, angle: ((angle + 540) % 360) - 180 } }
}
const drag = (name: string, to: Point) => areas.drag(areas.changed(areas.taken ?? 0, moved(name, to)))
const settle = (name: string, to: Point) => void areas.change(areas.taken ?? 0, moved(name, to), 'Move a gradient')
</script>

<template>
  <g>
    <rect v-if="acting" class="ground" width="100%" height="100%" @pointerdown="start" @pointermove="move" @pointerup="end" @pointercancel="drawn = null" />
    <g v-if="line.length" fill="none" pointer-events="none">
      <template v-if="tipped">
        <path class="ribbon" :class="{ erase }" :d="pathOf(line.length > 1 ? line : [line[0] as Point, line[0] as Point])" :stroke-width="width" />
      </template>
      <template v-else>
        <path class="dark" :d="tools.tool === 'outline' ? outlineOf(line) : pathOf(line)" />
        <path class="light" :d="tools.tool === 'outline' ? outlineOf(line) : pathOf(line)" />
      </template>
    </g>
    <circle v-if="tipped && view.cursor" class="tip" :cx="view.cursor.x" :cy="view.cursor.y" :r="width / 2" fill="none" pointer-events="none" />
    <g v-if="ruled" fill="none" pointer-events="none">
      <path class="dark" :d="ruled.lines" /><path class="light" :d="ruled.lines" />
      <path class="caret" :d="ruled.caret" />
    </g>
    <g v-if="hooped" fill="none" pointer-events="none"><path class="dark" :d="hooped" /><path class="light" :d="hooped" /></g>
    <PlaceHandles :handles="handles" @drag="drag" @settle="settle" />
    <CastOverlay />
  </g>
</template>

<style scoped>
.ground { fill: transparent; cursor: crosshair; }
.ribbon { stroke: rgb(232 229 222 / 0.55); stroke-linecap: round; stroke-linejoin: round; }
.ribbon.erase { stroke: rgb(20 20 18 / 0.45); }
.dark { stroke: #20201e; stroke-width: 3; }
.light { stroke: #faf9f5; stroke-width: 1; }
.caret { fill: #faf9f5; stroke: #20201e; }
.tip { stroke: #faf9f5; stroke-width: 1; filter: drop-shadow(0 0 1px #000); }
</style>
