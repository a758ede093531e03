import { computed, reactive, ref, shallowRef } from 'vue'

import type { Step } from '../../api/client'
import { clamp } from '../../parts/scale'
import { onStage, type Point } from '../picture/geometry'
import type { DecksRoom } from '../rooms/useDecks'
import type { ToolsRoom } from '../rooms/useTools'
import type { ViewRoom } from '../rooms/useView'
import { round, simplified } from './shapes'
import type { CleanRoom } from './useClean'

export type Touch = [number, number, number]

interface Around {
  decks: DecksRoom
  tools: ToolsRoom
  view: ViewRoom
  clean: CleanRoom
}

/** Strokes, outlines and lines of clicks, from the hand to a mask. Nothing of it waits for the server. */
export function usePainting({ decks, tools, view, clean }: Around) {
  const painting = shallowRef<Touch[] | null>(null)
  /** Clicks of an outline or line that is not ended yet. */
  const clicks = shallowRef<Point[]>([])
  const hand = ref<Point | null>(null)
  const gesture = computed(() => tools.gesture)
  const brush = (param: string) => clean.brush[param] ?? 0

  const place = (event: PointerEvent) => touchOf(event, view)

  /** The tip being set by a drag with the right button: across is its size, down its softness. */
  const setting = shallowRef<{ x: number; y: number; size: number; hardness: number } | null>(null)

  function start(event: PointerEvent) {
    if (event.button === 2) {
      ;(event.currentTarget as SVGElement).setPointerCapture(event.pointerId)
      setting.value = { x: event.clientX, y: event.clientY, size: brush('size'), hardness: brush('hardness') }
    }
    if (event.button !== 0 || !gesture.value) return
    ;(event.currentTarget as SVGElement).setPointerCapture(event.pointerId)
    tools.selected = null
    const at = place(event)
    // with Shift a straight stretch runs from where the last stroke ended
    const last = clean.lastEnd
    const from = last && view.handOfSource(last)
    painting.value = event.shiftKey && gesture.value === 'stroke' && from ? [[from[0], from[1], 1], at] : [at]
  }

  function move(event: PointerEvent) {
    const from = setting.value
    if (from) {
      clean.setTip('size', from.size + (2 * (event.clientX - from.x)) / view.sourceScale)
      clean.setTip('hardness', from.hardness + (event.clientY - from.y) / 200)
      return
    }
    const at = place(event)
    hand.value = [at[0], at[1]]
    if (!painting.value || gesture.value === 'click') return
    const last = painting.value[painting.value.length - 1]
    const apart = gesture.value === 'stroke' ? brush('size') / 12 : 2 / view.sourceScale
    if (last && Math.hypot(at[0] - last[0], at[1] - last[1]) >= Math.max(1, apart)) painting.value = [...painting.value, at]
  }

  async function end() {
    setting.value = null
    const points = painting.value
    if (!points) return
    const op = tools.tool
    const points2 = points.map(([x, y]): Point => [x, y])
    if (gesture.value === 'outline' || gesture.value === 'line') {
      painting.value = null
      const drawn = points.length > 6
      const closes = drawn && gesture.value === 'outline'
      const added = drawn ? simplified(points2, 3 / view.sourceScale) : points2.slice(0, 1)
      clicks.value = closes ? [] : [...clicks.value, ...added]
      if (closes) await close(simplified(points2, 1.2 / view.sourceScale))
      else if (drawn) await finish()
      return
    }
    const stroke = clean.stroke(points)
    const end = points2[points2.length - 1]
    clean.lastEnd = end ? view.sourceOfHand(end) : null
    if (op === 'nudge' && points.length < 2) painting.value = null
    else if (clean.gathering && op === 'regrow') {
      clean.gathered = [...clean.gathered, stroke]
      painting.value = null
    } else {
      await clean.put(op, clean.painted([stroke]), clean.paramsFor(op, view.sourceOfHand(points2[0] as Point)))
      painting.value = null
    }
  }

  /** End an outline or a line that is made of clicks. */
  async function finish() {
    const points = clicks.value
    clicks.value = []
    const op = tools.tool
    if (gesture.value === 'outline' && points.length >= 3) await close(points)
    else if (gesture.value === 'line' && !decks.of(op)?.masked && points.length >= 2) {
      const snap = decks.of(op)?.params.includes('snap') ? { snap: Math.round(clamp(12 / view.sourceScale, 4, 200)) } : {}
      await clean.put(op, undefined, { points: view.sourceLine(points).map(rounded), ...snap })
    } else if (gesture.value === 'line' && points.length >= 2) {
      // how far beside the clicks the line is looked for: what a hand is off by on the screen
      const size = round(clamp(20 / view.sourceScale, 10, 160))
      const stroke = { ...clean.stroke(points.map(([x, y]): Touch => [round(x), round(y), 1])), hardness: 1, size }
      await clean.put(op, { kind: 'strokes', strokes: [stroke], view: view.spec }, {})
    }
  }

  async function close(points: Point[]) {
    if (points.length < 3) return
    const mask: Step['mask'] = { kind: 'outline', points: points.map(rounded), feather: brush('feather'), view: view.spec }
    await clean.put(tools.tool, mask, {})
  }

  function cancel() {
    setting.value = null
    painting.value = null
    clicks.value = []
  }

  const live = computed(() => (painting.value ?? []).map(([x, y]) => view.stageOfHand([x, y])))
  const clicked = computed(() => {
    const points = hand.value && clicks.value.length ? [...clicks.value, hand.value] : clicks.value
    return points.map((point) => view.stageOfHand(point))
  })
  return reactive({ gesture, setting, painting, clicks, live, clicked, start, move, end, finish, cancel })
}

function rounded([x, y]: Point): [number, number] {
  return [round(x), round(y)]
}

/** Where and how hard a pen or a hand touches: source pixels, or those of the view that is looked through. */
export function touchOf(event: PointerEvent, view: ViewRoom): Touch {
  const [x, y] = view.handAt(...onStage(event))
  const pressure = event.pointerType === 'pen' ? clamp(event.pressure, 0.05, 1) : 1
  return [round(x), round(y), Math.round(pressure * 100) / 100]
}
