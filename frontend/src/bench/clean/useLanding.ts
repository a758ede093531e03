import { computed } from 'vue'

import type { Point } from '../picture/geometry'
import type { Ghost } from '../rooms/useTools'
import { theBench } from '../useBench'
import { middleOf } from './shapes'
import { around, laidAt, radiusOf, swept, tipOf } from './tips'

/** What a repair's tip will cover and bring, drawn on the stage before it lands; in a plane of the scene it lies in that. */
export function useLanding() {
  const { tools, decks, view, clean, painting: hand } = theBench()

  const tipped = computed(() => hand.gesture === 'stroke' || hand.gesture === 'click')
  const tip = computed(() => (clean.brush.size ?? 0) * view.sourceScale)
  /** The plane that the tip lies in: the stage itself, or one of the scene, which is seen on it. */
  const ground = computed(() => {
    const { scene } = clean
    if (!scene) return { onStage: (place: Point) => place, ofStage: (point: Point) => point }
    return {
      onStage: (place: Point) => view.stageOfSource(scene.toSource(place)),
      ofStage: ([x, y]: Point) => scene.ofSource(view.sourceAt(x, y)),
    }
  })
  /** What a tip covers that touches the stage at some points; it is as large as it is set where it begins. */
  function sweptBy(points: Point[], width = tip.value): Point[][] {
    const { onStage, ofStage } = ground.value
    const touches = points.map(ofStage).filter(([x]) => Number.isFinite(x))
    const [first] = touches
    return first ? swept(onStage, touches, radiusOf(onStage, first, Math.max(4, width))) : []
  }
  const gathered = computed(() =>
    clean.gathered.map((one) => around(sweptBy(one.points.map(([x, y]) => view.stageOfHand([x, y])), one.size * view.sourceScale))),
  )
  const live = computed(() => (tipped.value ? around(sweptBy(hand.live)) : ''))
  /** The tip about the pointer; a round one where the plane is not seen. */
  const underHand = computed(() => {
    const at = view.cursor
    if (!at) return ''
    return around(sweptBy([[at.x, at.y]])) || around([tipOf((place) => place, [at.x, at.y], Math.max(2, tip.value / 2))])
  })

  /** What a clone copies, laid where the pointer is, or along the stroke that is being drawn. */
  function cloned(at: { x: number; y: number }): Ghost | null {
    const line = hand.live
    const begin = line[0] ?? [at.x, at.y]
    const start = view.sourceAt(begin[0], begin[1])
    const offset = clean.cloneOffset(start)
    if (!offset) return null
    const from = copiedFrom(begin, view.stageOfSource([start[0] + offset[0], start[1] + offset[1]]))
    const loops = sweptBy(line.length ? line : [begin])
    // on the stage itself one map is right everywhere; in perspective it is about each part
    const parts = clean.scene ? loops.map((loop) => ({ loop: [loop], at: middleOf(loop) })) : [{ loop: loops, at: begin }]
    const laid = parts.flatMap(({ loop, at: place }) => {
      const map = laidAt(from, place)
      return map ? [{ path: around(loop), map }] : []
    })
    return { parts: laid, alpha: line.length ? 1 : 0.85 }
  }
  /** From where a clone that begins at one point of the stage, and copies what lies at another, copies to each point. */
  function copiedFrom(begin: Point, source: Point): (point: Point) => Point {
    const { onStage, ofStage } = ground.value
    const { turn, mirror } = clean.cloning
    const [bx, by] = ofStage(begin)
    const [sx, sy] = ofStage(source)
    const [cosine, sine] = [Math.cos((turn * Math.PI) / 180), Math.sin((turn * Math.PI) / 180)]
    return (point) => {
      const [x, y] = ofStage(point)
      const [right, down] = [cosine * (x - bx) + sine * (y - by), cosine * (y - by) - sine * (x - bx)]
      return onStage([sx + (mirror === 'across' ? -right : right), sy + (mirror === 'down' ? -down : down)])
    }
  }

  /** What stands beside the tip: the method, its size, and its softness while that is being set. */
  const says = computed(() => {
    if (!tipped.value) return decks.called(tools.tool)
    const softness = hand.setting ? ` · softness ${Math.round(100 * (1 - (clean.brush.hardness ?? 0)))} %` : ''
    return `${decks.called(tools.tool)} ${Math.round(clean.brush.size ?? 0)}${softness}`
  })
  return { tip, tipped, gathered, live, underHand, says, cloned }
}
