import type { Schemas, Step } from '../../api/client'
import type { Point } from '../picture/geometry'
import { around, offsetInto, radiusOf, swept, type Scene } from './tips'

type Stroke = Schemas['Stroke']

/** A path through stage points; `width` null is an outline, which is filled. */
export interface Part {
  path: string
  width: number | null
  first: Point
  single: boolean
  /** What a tip that is round in a plane of the scene covers, and what its source does. */
  area?: string
  source?: string
}

/** A repair as it is drawn on the stage. */
export interface Shape {
  id: string
  step: Step
  parts: Part[]
  corners: Point[]
  /** From the place to its source, or for a moved subject to its new place. */
  shift: Point | null
  off: boolean
}

type ToStage = (point: Point) => Point

/** How places of a step come onto the stage. */
export interface Ways {
  /** Of what its mask was drawn in, and of the photo. */
  drawn: ToStage
  source: ToStage
  toSource: ToStage
  scale: number
  /** The plane of the scene that its tip is round in. */
  scene?: Scene | null
}

/** Touches of a stroke that are drawn in a plane. */
const MOST_TOUCHES = 80

export function strokesOf(step: Step): Stroke[] {
  return step.mask?.kind === 'strokes' ? step.mask.strokes : []
}

export function shapeOf(step: Step, ways: Ways): Shape {
  const { drawn: toStage, source, toSource, scale } = ways
  const params = (step.params ?? {}) as Record<string, unknown>
  const parts: Part[] = strokesOf(step).map((stroke) => {
    const points = stroke.points.map(([x, y]): Point => toStage([x, y]))
    const part = { width: Math.max(1, stroke.size * scale), path: pathOf(points), first: points[0] ?? [0, 0], single: points.length === 1 }
    return ways.scene ? { ...part, ...laidIn(ways.scene, stroke, step, ways) } : part
  })
  let corners: Point[] = []
  if (step.mask?.kind === 'outline') {
    const loops = [step.mask.points, ...(step.mask.others ?? [])].map((loop) => loop.map(([x, y]) => toStage([x, y])))
    corners = loops[0] ?? []
    parts.push({ width: null, path: loops.map(outlineOf).join(''), first: corners[0] ?? [0, 0], single: false })
  }
  if (!step.mask && Array.isArray(params.points)) {
    const line = (params.points as Point[]).map(source)
    parts.push({ width: 3, path: pathOf(line), first: line[0] ?? [0, 0], single: false })
  }
  if (step.op === 'specks') {
    for (const spot of params.spots as { x: number; y: number; size: number; accepted: boolean }[]) {
      const at = source([spot.x, spot.y])
      if (spot.accepted) parts.push({ width: Math.max(8, 2 * spot.size * scale), path: pathOf([at]), first: at, single: true })
    }
  }
  const seen = parts.filter((part) => part.path && Number.isFinite(part.first[0]))
  const shift = shiftOf(step, params, toStage, source, toSource)
  return { id: step.id ?? '', step, parts: seen, corners: finite(corners), shift, off: step.enabled === false }
}

/** What a stroke whose tip is round in a plane covers, and from where it is copied. */
function laidIn(scene: Scene, stroke: Stroke, step: Step, { source, toSource, scale }: Ways): Pick<Part, 'area' | 'source'> {
  const every = Math.ceil(stroke.points.length / MOST_TOUCHES)
  const touches = stroke.points
    .filter((_, k) => k % every === 0 || k === stroke.points.length - 1)
    .map(([x, y, pressure]): [number, number, number] => [...scene.ofSource(toSource([x, y])), pressure])
    .filter(([x]) => Number.isFinite(x))
  const onStage = (place: Point) => source(scene.toSource(place))
  const first = touches[0]
  const begun = strokesOf(step)[0]?.points[0]
  if (!first || !begun) return {}
  const radius = radiusOf(onStage, [first[0], first[1]], Math.max(1, stroke.size * scale))
  const area = around(swept(onStage, touches, radius))
  const given = (step.params as { source?: { dx: number; dy: number } } | undefined)?.source
  if (!given) return { area }
  const [dx, dy] = offsetInto(scene, toSource([begun[0], begun[1]]), [given.dx, given.dy])
  const moved = touches.map(([x, y, pressure]): [number, number, number] => [x + dx, y + dy, pressure])
  return { area, source: around(swept(onStage, moved, radius)) }
}

function shiftOf(step: Step, params: Record<string, unknown>, toStage: ToStage, source: ToStage, toSource: ToStage): Point | null {
  const given = step.op === 'relocate' ? { dx: Number(params.dx ?? 0), dy: Number(params.dy ?? 0) } : (params.source as { dx: number; dy: number } | undefined)
  const first = strokesOf(step)[0]?.points[0] ?? (step.mask?.kind === 'outline' ? step.mask.points[0] : undefined)
  if (!given || !first) return null
  const [x0, y0] = toStage([first[0], first[1]])
  const start = toSource([first[0], first[1]])
  const [x1, y1] = source([start[0] + given.dx, start[1] + given.dy])
  return Number.isFinite(x1 - x0) ? [x1 - x0, y1 - y0] : null
}

/** The middle of what a loop of points lies in. */
export function middleOf(loop: Point[]): Point {
  const middle = (values: number[]) => (Math.min(...values) + Math.max(...values)) / 2
  return [middle(loop.map(([x]) => x)), middle(loop.map(([, y]) => y))]
}

/** A path around stage points; none around no points that are seen. */
export function outlineOf(points: Point[]): string {
  const path = pathOf(points)
  return path && `${path}Z`
}

/** Points that are seen: those behind an eye that looks around are not. */
function finite(points: Point[]): Point[] {
  const seen = ([x, y]: Point) => Number.isFinite(x) && Number.isFinite(y)
  return points.every(seen) ? points : points.filter(seen)
}

/** A path through stage points; a single point becomes a line of no length, which a round cap makes a disc. */
export function pathOf(all: Point[]): string {
  const points = finite(all)
  if (points.length === 1) return `M${points[0]?.join(' ')}h0.01`
  return points.map(([x, y], index) => `${index ? 'L' : 'M'}${x.toFixed(1)} ${y.toFixed(1)}`).join('')
}

/** The step with its place moved by source pixels; its source stays as far from it. */
export function movedBy(step: Step, dx: number, dy: number): Step {
  const mask = step.mask
  if (mask?.kind === 'strokes') {
    const strokes = mask.strokes.map((one) => ({ ...one, points: one.points.map(([x, y, p]): [number, number, number] => [x + dx, y + dy, p]) }))
    return { ...step, mask: { ...mask, strokes } }
  }
  if (mask?.kind === 'outline') {
    const by = (loop: Point[]) => loop.map(([x, y]): [number, number] => [x + dx, y + dy])
    return { ...step, mask: { ...mask, points: by(mask.points), others: (mask.others ?? []).map(by) } }
  }
  return step
}

/** An outline drawn by hand with only the corners that matter (Douglas, Peucker 1973), `within` pixels. */
export function simplified(points: Point[], within: number): Point[] {
  if (points.length < 3) return points
  const [a, b] = [points[0] as Point, points[points.length - 1] as Point]
  const length = Math.hypot(b[0] - a[0], b[1] - a[1])
  let worst = 0
  let index = 0
  points.forEach(([x, y], k) => {
    const away = length < 1e-6 ? Math.hypot(x - a[0], y - a[1]) : Math.abs((b[0] - a[0]) * (a[1] - y) - (a[0] - x) * (b[1] - a[1])) / length
    if (away > worst) [worst, index] = [away, k]
  })
  if (worst <= within) return [a, b]
  return [...simplified(points.slice(0, index + 1), within), ...simplified(points.slice(index), within).slice(1)]
}

/** To a tenth of a pixel: finer is no hand. */
export function round(value: number): number {
  return Math.round(value * 10) / 10
}
