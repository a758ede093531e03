import type { Step } from '../../api/client'
import type { Cast } from '../areas/cast'
import { apply, between, inverse, type PlaneMap, type Point } from '../picture/geometry'
import type { ViewSpec } from '../picture/sphere'

/** Corners of a piece in the photo, clockwise from the upper left as they are in the piece; photo pixels. */
export type Four = [Point, Point, Point, Point]
export interface Lying {
  corners: Four
  size: [number, number]
  contrast?: number | null
  stands?: [number, number] | null
  /** Of the scene, that it lies in: places in it to photo places. */
  plane?: number[] | null
  /** Into a panorama, that it lies in: all places are that view's then. */
  view?: ViewSpec | null
}

interface Placed {
  at?: Point; scale?: number; size?: number; turn?: number; corners?: Four | null; horizon?: number | null; mirror?: 'none' | 'across' | 'down'
}
const placed = (step: Step): Placed => (step.params ?? {}) as Placed

export function middleOf(four: Four): Point {
  const sum = four.reduce(([x, y], [u, v]): Point => [x + u, y + v], [0, 0] as Point)
  return [sum[0] / 4, sum[1] / 4]
}
/** Whether its corners are placed each by itself, in perspective. */
export function inPerspective(step: Step): boolean {
  return Boolean(placed(step).corners)
}
const mapped = (four: Four, to: (point: Point) => Point) => four.map(to) as Four
/** From the photo into the plane of the scene that something lies in, and back; the photo's own is as it is. */
function waysOf(plane: Lying['plane']): { into: (place: Point) => Point; out: (place: Point) => Point } {
  if (!plane) return { into: (place) => place, out: (place) => place }
  const [there, back] = [plane as unknown as PlaneMap, inverse(plane as unknown as PlaneMap)]
  return { into: (place) => apply(back, place), out: (place) => apply(there, place) }
}

/**
 * Where a piece lies while it is under the hand: from where it was saved to lie, by what has changed since. Its text or
 * its picture is not asked for that.
 */
export function lyingNow(saved: Step, lying: Lying, now: Step): Four {
  const [from, to] = [placed(saved), placed(now)]
  if (to.corners) return to.corners
  if (!from.at || !to.at) return lying.corners
  const times = from.scale && to.scale ? to.scale / from.scale : from.size && to.size ? to.size / from.size : 1
  const turn = (((to.turn ?? 0) - (from.turn ?? 0)) * Math.PI) / 180
  const [cosine, sine] = [Math.cos(turn) * times, Math.sin(turn) * times]
  const { into, out } = waysOf(lying.plane)
  const [old, at] = [into(from.at), into(to.at)]
  const laid = mapped(lying.corners, into)
  // what lies at its horizon stays there: another one moves the rest along its uprights
  const along = from.horizon != null && to.horizon != null ? from.horizon - to.horizon : 0
  const [first, , , last] = laid
  const [upX, upY] = [along * (last[0] - first[0]), along * (last[1] - first[1])]
  const four = mapped(laid, ([x, y]) => {
    const [dx, dy] = [x + upX - old[0], y + upY - old[1]]
    return out([at[0] + cosine * dx - sine * dy, at[1] + sine * dx + cosine * dy])
  })
  return (from.mirror ?? 'none') === (to.mirror ?? 'none') ? four : [four[1], four[0], four[3], four[2]]
}
/** How the shadow of a piece falls that stands between two y, as far as it was moved since; none where it throws none. */
export function thrownBy(step: Step, lying: Lying, four: Four): Cast | null {
  const shade = step.params?.shade as Pick<Cast, 'angle' | 'length'> | null | undefined
  if (!shade || !lying.stands) return null
  const [x, y] = middleOf(four)
  const moved = y - middleOf(lying.corners)[1]
  const [top, foot] = lying.stands
  const half = Math.max(1, foot - top) / 2
  return { angle: shade.angle, length: shade.length, ground: [[x - half, foot + moved], [x + half, foot + moved]] }
}
/** The two ends of a piece's horizon; none for what has none, or stands in perspective. */
export function horizonOf(step: Step, four: Four, plane?: Lying['plane']): [Point, Point] | null {
  const { horizon, corners } = placed(step)
  if (horizon == null || corners) return null
  const { into, out } = waysOf(plane)
  const [a, b, c, d] = mapped(four, into)
  return [out(between(a, d, horizon)), out(between(b, c, horizon))]
}
/** Moved along its uprights until its horizon runs through a place. */
export function horizonTo(step: Step, four: Four, to: Point, plane?: Lying['plane']): Step {
  const { at } = placed(step)
  if (!at) return step
  const { into, out } = waysOf(plane)
  const [[x, y], [toX, toY], [first, , , last]] = [into(at), into(to), mapped(four, into)]
  const way: Point = [last[0] - first[0], last[1] - first[1]]
  const far = ((toX - x) * way[0] + (toY - y) * way[1]) / Math.max(way[0] ** 2 + way[1] ** 2, 1e-6)
  return withParams(step, { at: rounded(out([x + far * way[0], y + far * way[1]])) })
}

const to1 = (value: number) => Math.round(value * 10) / 10
export const rounded = ([x, y]: Point): Point => [to1(x), to1(y)]

/** The step moved by photo pixels. */
export function movedBy(step: Step, [dx, dy]: Point): Step {
  const { at, corners } = placed(step)
  if (corners) return withParams(step, { corners: mapped(corners, ([x, y]) => rounded([x + dx, y + dy])) })
  return at ? withParams(step, { at: rounded([at[0] + dx, at[1] + dy]) }) : step
}
/**
 * One corner taken to a place: in perspective it goes there by itself, else the whole grows or shrinks about its middle or
 * the middle of its horizon, and is mirrored where the corner is taken to the other side of that.
 */
export function cornerTo(step: Step, seen: Four, corner: number, place: Point, plane?: Lying['plane']): Step {
  const { at: middle, corners, scale, size, mirror } = placed(step)
  if (corners) return withParams(step, { corners: corners.map((one, k) => (k === corner ? rounded(place) : one)) })
  if (!middle || !seen[corner]) return step
  const { into } = waysOf(plane)
  const [at, to, four] = [into(middle), into(place), mapped(seen, into)]
  const from = four[corner] as Point
  const was = Math.hypot(from[0] - at[0], from[1] - at[1])
  const times = Math.max(0.02, Math.hypot(to[0] - at[0], to[1] - at[1]) / Math.max(was, 1e-6))
  if (scale) {
    const across: Point = [four[1][0] - four[0][0], four[1][1] - four[0][1]]
    const side = (place: Point) => Math.sign((place[0] - at[0]) * across[0] + (place[1] - at[1]) * across[1])
    const turned = mirror !== 'down' && side(from) * side(to) < 0 ? { mirror: mirror === 'across' ? 'none' : 'across' } : {}
    return withParams(step, { scale: Math.min(100, Number((scale * times).toPrecision(5))), ...turned })
  }
  return size ? withParams(step, { size: Math.min(8000, Math.max(2, to1(size * times))) }) : step
}
/** Where the turning handle stands: beyond the middle of the upper side, so many photo pixels away from it. */
export function stalkOf(four: Four, long: number): [Point, Point] {
  const [a, b] = four
  const foot = between(a, b)
  const middle = middleOf(four)
  const way: Point = [foot[0] - middle[0], foot[1] - middle[1]]
  const far = Math.hypot(...way) || 1
  return [foot, [foot[0] + (way[0] / far) * long, foot[1] + (way[1] / far) * long]]
}
/** Turned so that its upper side looks to a place. */
export function turnedTo(step: Step, four: Four, place: Point, plane?: Lying['plane']): Step {
  const { at: middle, turn } = placed(step)
  if (!middle) return step
  const { into } = waysOf(plane)
  const [at, to] = [into(middle), into(place)]
  const [foot] = stalkOf(mapped(four, into), 0)
  const was = Math.atan2(foot[1] - at[1], foot[0] - at[0])
  const now = Math.atan2(to[1] - at[1], to[0] - at[0])
  const wanted = (turn ?? 0) + ((now - was) * 180) / Math.PI
  return withParams(step, { turn: to1(((((wanted + 180) % 360) + 360) % 360) - 180) })
}
/** In perspective from where it lies; or level again, as large as it was about its middle. */
export function perspective(step: Step, lying: Lying, on: boolean): Step {
  if (on) return withParams(step, { corners: mapped(lying.corners, rounded) })
  const { corners, ...rest } = step.params as Record<string, unknown> & { corners?: Four }
  const four = corners ?? lying.corners
  const wide = Math.hypot(four[1][0] - four[0][0], four[1][1] - four[0][1])
  const more = step.op === 'piece' ? { at: rounded(middleOf(four)), scale: Number((wide / lying.size[0]).toPrecision(5)) } : { at: rounded(middleOf(four)) }
  return { ...step, params: { ...rest, ...more } }
}
export function withParams(step: Step, params: Record<string, unknown>): Step {
  return { ...step, params: { ...step.params, ...params } }
}
