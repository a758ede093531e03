import { between, type Point } from '../picture/geometry'
import type { Four } from './placing'

/** A straight edge of the photo: x0, y0, x1, y1. */
export type Edge = [number, number, number, number]
/** What a piece is brought onto; photo pixels. */
export interface Onto { size: [number, number]; edges: Edge[]; horizon: number | null }

/** How far, degrees, a side may lean from an edge that it is brought onto, and how much of the shorter they share. */
const LEANS = 2
const SHARED = 0.2
/** How far beyond its ends an edge still makes a corner with another, in the reach within which it is looked for. */
const BEYOND = 3
/** Least sine between two edges that make a corner. */
const ACROSS = 0.26

/** A way to go, so far along a direction of length 1. */
interface Way { along: Point; far: number }

const minus = (a: Point, b: Point): Point => [a[0] - b[0], a[1] - b[1]]
const dot = (a: Point, b: Point) => a[0] * b[0] + a[1] * b[1]
const cross = (a: Point, b: Point) => a[0] * b[1] - a[1] * b[0]
const unit = (a: Point): Point => {
  const long = Math.hypot(...a) || 1
  return [a[0] / long, a[1] / long]
}
const endsOf = ([x0, y0, x1, y1]: Edge): [Point, Point] => [[x0, y0], [x1, y1]]

/** What brings a piece's sides, its middles and its horizon onto the photo's own and onto edges in it, where they are near. */
export function snapped(four: Four, onto: Onto, within: number, at: Point | null = null): Point {
  const ways = [...waysToPhoto(four, onto), ...waysToEdges(four, onto.edges)]
  if (at && onto.horizon !== null) ways.push({ along: [0, 1], far: onto.horizon - at[1] })
  const near = ways.filter(({ far }) => Math.abs(far) <= within).sort((a, b) => Math.abs(a.far) - Math.abs(b.far))
  const first = near[0]
  if (!first) return [0, 0]
  const second = near.find(({ along }) => Math.abs(cross(first.along, along)) > 0.5)
  if (!second) return [first.along[0] * first.far + 0, first.along[1] * first.far + 0]
  const by = cross(first.along, second.along)
  return [
    (first.far * second.along[1] - second.far * first.along[1]) / by,
    (second.far * first.along[0] - first.far * second.along[0]) / by,
  ]
}

function waysToPhoto(four: Four, { size }: Onto): Way[] {
  const directions: Point[] = [[1, 0], [0, 1]]
  return directions.flatMap((along, axis) => {
    const values = four.map((corner) => dot(corner, along))
    const [low, high, long] = [Math.min(...values), Math.max(...values), size[axis] ?? 0]
    return [-low, long - high, long / 2 - (low + high) / 2].map((far) => ({ along, far }))
  })
}

function waysToEdges(four: Four, edges: Edge[]): Way[] {
  const found: Way[] = []
  four.forEach((from, k) => {
    const to = four[(k + 1) % 4] as Point
    const way = unit(minus(to, from))
    const long = Math.hypot(...minus(to, from))
    for (const edge of edges) {
      const [a, b] = endsOf(edge)
      const length = Math.hypot(...minus(b, a))
      if (Math.abs(cross(way, unit(minus(b, a)))) > Math.sin((LEANS * Math.PI) / 180)) continue
      const [p, q] = [dot(minus(a, from), way), dot(minus(b, from), way)].sort((x, y) => x - y) as [number, number]
      if (Math.min(q, long) - Math.max(p, 0) < SHARED * Math.min(length, long)) continue
      const along: Point = [-way[1], way[0]]
      found.push({ along, far: dot(minus(between(a, b), from), along) })
    }
  })
  return found
}

/** A place brought onto the corner that two edges make near it, else onto the nearest edge; as it is where none is near. */
export function snappedPlace(place: Point, edges: Edge[], within: number): Point {
  const near = edges.flatMap((edge) => {
    const [a, b] = endsOf(edge)
    const way = unit(minus(b, a))
    const along = dot(minus(place, a), way)
    const foot: Point = [a[0] + along * way[0], a[1] + along * way[1]]
    const beyond = Math.max(-along, along - Math.hypot(...minus(b, a)))
    const far = Math.hypot(...minus(place, foot))
    return far <= within && beyond <= BEYOND * within ? [{ a, way, foot, far, beyond }] : []
  })
  const corners = near.flatMap((one, k) => near.slice(k + 1).flatMap((other) => {
    const turn = cross(one.way, other.way)
    if (Math.abs(turn) < ACROSS) return []
    const along = cross(minus(other.a, one.a), other.way) / turn
    return [[one.a[0] + along * one.way[0], one.a[1] + along * one.way[1]] as Point]
  }))
  const places = corners.length ? corners : near.filter(({ beyond }) => beyond <= 0).map(({ foot }) => foot)
  const away = (one: Point) => Math.hypot(...minus(one, place))
  const nearest = places.sort((p, q) => away(p) - away(q))[0]
  return nearest && away(nearest) <= 1.5 * within ? nearest : place
}
