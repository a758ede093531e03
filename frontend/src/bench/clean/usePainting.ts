import { computed, ref, shallowRef } from 'vue'

import type { Step } from '../../api/client'
import { clamp } from '../../parts/scale'
import type { Point } from '../geometry'
import type { Bench } from '../useBench'
import { methodOf } from './methods'
import { simplified } from './shapes'
import { round } from './useClean'

type Touch = [number, number, number]

/** Strokes, outlines and lines of clicks, from the hand to a mask. Nothing of it waits for the server. */
export function usePainting(bench: Bench) {
  const clean = bench.clean
  const painting = shallowRef<Touch[] | null>(null)
  /** Clicks of an outline or line that is not ended yet. */
  const clicks = shallowRef<Point[]>([])
  const hand = ref<Point | null>(null)
  const gesture = computed(() => methodOf(bench.tool.value)?.gesture ?? null)

  function place(event: PointerEvent): Touch {
    const box = (event.currentTarget as SVGElement).getBoundingClientRect()
    const [x, y] = bench.sourceAt(event.clientX - box.left, event.clientY - box.top)
    const pressure = event.pointerType === 'pen' ? clamp(event.pressure, 0.05, 1) : 1
    return [round(x), round(y), Math.round(pressure * 100) / 100]
  }

  /** The tip being set by a drag with the right button: across is its size, down its softness. */
  const setting = shallowRef<{ x: number; y: number; size: number; softness: number } | null>(null)

  function start(event: PointerEvent) {
    if (event.button === 2) {
      ;(event.currentTarget as SVGElement).setPointerCapture(event.pointerId)
      const { size, softness } = clean.brush.value
      setting.value = { x: event.clientX, y: event.clientY, size, softness }
    }
    if (event.button !== 0 || !gesture.value) return
    ;(event.currentTarget as SVGElement).setPointerCapture(event.pointerId)
    bench.selected.value = null
    const at = place(event)
    // with Shift a straight stretch runs from where the last stroke ended
    const last = clean.lastEnd.value
    painting.value = event.shiftKey && gesture.value === 'stroke' && last ? [[last[0], last[1], 1], at] : [at]
  }

  function move(event: PointerEvent) {
    const from = setting.value
    if (from) {
      clean.brush.value.size = clamp(from.size + (2 * (event.clientX - from.x)) / bench.sourceScale.value, 2, 2000)
      clean.brush.value.softness = clamp(from.softness - (event.clientY - from.y) / 200, 0, 1)
      return
    }
    const at = place(event)
    hand.value = [at[0], at[1]]
    if (!painting.value || gesture.value === 'click') return
    const last = painting.value[painting.value.length - 1]
    const apart = gesture.value === 'stroke' ? clean.brush.value.size / 12 : 2 / bench.sourceScale.value
    if (last && Math.hypot(at[0] - last[0], at[1] - last[1]) >= Math.max(1, apart)) painting.value = [...painting.value, at]
  }

  async function end() {
    setting.value = null
    const points = painting.value
    if (!points) return
    const op = bench.tool.value
    const points2 = points.map(([x, y]): Point => [x, y])
    if (gesture.value === 'outline' || gesture.value === 'line') {
      painting.value = null
      const drawn = points.length > 6
      clicks.value = drawn && gesture.value === 'outline' ? [] : [...clicks.value, ...(drawn ? simplified(points2, 3 / bench.sourceScale.value) : [points2[0] as Point])]
      if (drawn && gesture.value === 'outline') await close(simplified(points2, 1.2 / bench.sourceScale.value))
      else if (drawn) await finish()
      return
    }
    const stroke = clean.stroke(points)
    clean.lastEnd.value = points2[points2.length - 1] ?? null
    if (op === 'nudge' && points.length < 2) painting.value = null
    else if (clean.gathering.value && op === 'regrow') {
      clean.gathered.value = [...clean.gathered.value, stroke]
      painting.value = null
    } else {
      await clean.put(op, { kind: 'strokes', strokes: [stroke] }, clean.paramsFor(op, points2[0] as Point))
      painting.value = null
    }
  }

  /** End an outline or a line that is made of clicks. */
  async function finish() {
    const points = clicks.value
    clicks.value = []
    const op = bench.tool.value
    if (gesture.value === 'outline' && points.length >= 3) await close(points)
    else if (op === 'fence' && points.length >= 2) await clean.put('fence', undefined, { points: points.map(rounded), snap: Math.round(clamp(12 / bench.sourceScale.value, 4, 200)) })
    else if (op === 'unthread' && points.length >= 2) {
      // how far beside the clicks the line is looked for: what a hand is off by on the screen
      const size = round(clamp(20 / bench.sourceScale.value, 10, 160))
      const stroke = { ...clean.stroke(points.map(([x, y]): Touch => [round(x), round(y), 1])), hardness: 1, size }
      await clean.put('unthread', { kind: 'strokes', strokes: [stroke] }, {})
    }
  }

  async function close(points: Point[]) {
    if (points.length < 3) return
    const mask: Step['mask'] = { kind: 'outline', points: points.map(rounded), feather: clean.brush.value.feather }
    await clean.put(bench.tool.value, mask, {})
  }

  function cancel() {
    setting.value = null
    painting.value = null
    clicks.value = []
  }

  const live = computed(() => (painting.value ?? []).map(([x, y]) => bench.stageOfSource([x, y])))
  const clicked = computed(() => {
    const points = hand.value && clicks.value.length ? [...clicks.value, hand.value] : clicks.value
    return points.map((point) => bench.stageOfSource(point))
  })
  return { gesture, setting, painting, clicks, live, clicked, start, move, end, finish, cancel }
}

function rounded([x, y]: Point): [number, number] {
  return [round(x), round(y)]
}
