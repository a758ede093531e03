<script setup lang="ts">
import { computed, onBeforeUnmount, onMounted, ref, toRef } from 'vue'

import { api, Problem, taken, type Schemas } from '../../../api/client'
import { tryingWith } from '../../../common/trying'
import { useSaying } from '../../../common/useSaying'
import { outlineOf } from '../../clean/shapes'
import { rounded } from '../../pieces/placing'
import { between, onStage, type Point } from '../geometry'
import { theBench } from '../../useBench'

/** Four corners of something flat, on the picture as it was before it was squared up. */
const { ledger, tools, view } = theBench()
const { sayError } = useSaying()
const trying = tryingWith(sayError)
const names = ['upper left', 'upper right', 'lower right', 'lower left']
const present = ledger.stepOf('corners')
const held = ref<number | null>(null)

/** In source pixels; at first those of the step, or a rectangle well inside. */
const corners = toRef(tools, 'corners')
onMounted(() => {
  if (present) ledger.drag({ ...present, enabled: false })
  if (corners.value.length) return
  const kept = present?.params?.corners as Point[] | undefined
  const { left, top, width, height } = view.content
  const inset: Point[] = [[0.15, 0.15], [0.85, 0.15], [0.85, 0.85], [0.15, 0.85]]
  corners.value = kept ?? inset.map(([x, y]) => view.sourceOfView([left + x * width, top + y * height]))
})
onBeforeUnmount(() => {
  corners.value = []
  if (!ledger.draft || ledger.draft.op !== 'corners') return
  ledger.letGo()
})

const places = computed(() => corners.value.map((corner) => view.stageOfSource(corner)))
const outline = computed(() => outlineOf(places.value))
/** A third of the way along opposite sides, to judge the plane by. */
const inner = computed(() => {
  const [a, b, c, d] = places.value
  if (!a || !b || !c || !d) return ''
  const at = (p: Point, q: Point, share: number) => between(p, q, share).map((value) => value.toFixed(1)).join(' ')
  return [1 / 3, 2 / 3].map((t) => `M${at(a, b, t)}L${at(d, c, t)}M${at(a, d, t)}L${at(b, c, t)}`).join('')
})

function put(k: number, x: number, y: number) {
  const { width, height } = ledger.page?.photo ?? {}
  const [sx, sy] = view.sourceAt(x, y)
  const inside: Point = [Math.min(Math.max(sx, 0), width ?? sx), Math.min(Math.max(sy, 0), height ?? sy)]
  corners.value = corners.value.map((corner, index) => (index === k ? rounded(inside) : corner))
}
function take(event: PointerEvent, k: number) {
  if (event.button !== 0) return
  ;(event.target as Element).setPointerCapture(event.pointerId)
  held.value = k
}
function move(event: PointerEvent) {
  if (held.value !== null) put(held.value, ...onStage(event))
}
/** Where the picture was pressed, stage pixels: a drag moves it, a click asks for the corners of what lies there. */
const pressed = ref<Point | null>(null)
const looking = ref(false)
async function find(event: PointerEvent) {
  const [at, from, ground] = [onStage(event), pressed.value, event.currentTarget as Element]
  pressed.value = null
  if (!from || looking.value || Math.hypot(at[0] - from[0], at[1] - from[1]) > 3) return
  const [x, y] = view.sourceAt(...at)
  looking.value = true
  const found = await trying(async () =>
    taken(await api.GET('/api/photos/{photo}/corners', { params: { path: { photo: ledger.photo }, query: { x, y } } })) as Schemas['CornersView'],
  )
  looking.value = false
  if (!found) return
  if (!found.corners || found.view) return sayError(new Problem(422, 'Nothing of four sides was found there.', 'Put the corners on it by hand.'))
  corners.value = found.corners.map(rounded)
  // so that Enter squares it up
  ground.parentElement?.querySelector<SVGElement>('.corner')?.focus()
}
function nudge(event: KeyboardEvent, k: number) {
  const by = event.shiftKey ? 10 : 1
  const ways: Record<string, Point> = { ArrowLeft: [-by, 0], ArrowRight: [by, 0], ArrowUp: [0, -by], ArrowDown: [0, by] }
  const way = ways[event.key]
  const place = places.value[k]
  if (event.key === 'Enter') void tools.squareUp()
  else if (way && place) put(k, place[0] + way[0], place[1] + way[1])
  else return
  event.preventDefault()
}
</script>

<template>
  <g>
    <rect
      class="ground" :class="{ looking }" width="100%" height="100%" @pointerdown="pressed = $event.button === 0 ? onStage($event) : null" @pointerup="find"
    />
    <g fill="none" pointer-events="none">
      <path class="inner" :d="inner" />
      <path class="under" :d="outline" />
      <path class="upper" :d="outline" />
    </g>
    <g
      v-for="(place, k) in places" :key="k" class="corner" tabindex="0" role="button" :aria-label="`Corner ${names[k]}: arrow keys move it, Enter squares up`"
      @pointerdown="take($event, k)" @pointermove="move" @pointerup="held = null" @pointercancel="held = null" @keydown="nudge($event, k)"
    >
      <circle class="hit" :cx="place[0]" :cy="place[1]" r="16" />
      <circle class="ring under" :cx="place[0]" :cy="place[1]" r="9" />
      <circle class="ring upper" :cx="place[0]" :cy="place[1]" r="9" />
      <path class="upper" fill="none" :d="`M${place[0] - 3} ${place[1]}h6M${place[0]} ${place[1] - 3}v6`" />
    </g>
    <text class="hint" :x="view.stage.width / 2" y="30">
      Click inside the thing, or put one corner on each of its corners; Enter squares it up
    </text>
  </g>
</template>

<style scoped>
.ground { fill: transparent; cursor: crosshair; }
.ground.looking { cursor: progress; }
.under { stroke: rgb(0 0 0 / 0.6); stroke-width: 3.6; }
.upper { stroke: #fff; stroke-width: 1.4; }
.inner { stroke: rgb(255 255 255 / 0.55); stroke-width: 1; }
.ring { fill: none; }
.hit { fill: transparent; cursor: move; }
.corner { outline: none; }
.corner:focus-visible .upper { stroke: var(--pale-fern); stroke-width: 2.6; }
.hint {
  font: 600 13px var(--text); fill: #fff; text-anchor: middle; paint-order: stroke; stroke: rgb(0 0 0 / 0.75); stroke-width: 4px;
  pointer-events: none;
}
</style>
