/** How a brush's tip lies on the picture: round on it, or round in a plane of the scene and foreshortened. */

import { apply, inverse, type PlaneMap, type Point } from '../picture/geometry'

/** A plane of the scene, its places in true proportion, and the photo's. Beyond its horizon nothing lies in it. */
export interface Scene {
  toSource: (place: Point) => Point
  ofSource: (point: Point) => Point
}

/** The photo's own: its places are the photo's. */
export const PHOTO: Scene = { toSource: (place) => place, ofSource: (point) => point }

/** An offset of the photo, about a place of it, as one of a plane; and back. */
export function offsetInto(scene: Scene, start: Point, [dx, dy]: Point): Point {
  const [[x0, y0], [x1, y1]] = [scene.ofSource(start), scene.ofSource([start[0] + dx, start[1] + dy])]
  return [x1 - x0, y1 - y0]
}
export function offsetOutOf(scene: Scene, start: Point, [dx, dy]: Point): Point {
  const [x, y] = scene.ofSource(start)
  const there = scene.toSource([x + dx, y + dy])
  return [there[0] - start[0], there[1] - start[1]]
}

/** Where a plane's places are seen: on the stage. */
export type OnStage = (place: Point) => Point

/** Sides of the outline that a tip is drawn with. */
const SIDES = 28
const NOWHERE: Point = [NaN, NaN]
const seen = ([x, y]: Point) => Number.isFinite(x) && Number.isFinite(y)

/** The plane that a map leads into what its corners were set in: the photo, or a view. */
export function sceneOf(map: PlaneMap, within: Scene): Scene {
  const back = inverse(map)
  const before = ([x, y]: Point) => map[6] * x + map[7] * y + map[8] > 1e-9
  return {
    toSource: (place) => (before(place) ? within.toSource(apply(map, place)) : NOWHERE),
    ofSource: (point) => {
      const place = apply(back, within.ofSource(point))
      return before(place) ? place : NOWHERE
    },
  }
}

/** A tip of a radius about a place, as it is seen; no points where some of it lies beyond the horizon. */
export function tipOf(onStage: OnStage, [x, y]: Point, radius: number): Point[] {
  const all = Array.from({ length: SIDES }, (_, k): Point => {
    const angle = (2 * Math.PI * k) / SIDES
    return onStage([x + radius * Math.cos(angle), y + radius * Math.sin(angle)])
  })
  return all.every(seen) ? all : []
}

/** The radius in a plane of a tip that covers as much of the stage, about a place, as a round one of a width does. */
export function radiusOf(onStage: OnStage, [x, y]: Point, width: number): number {
  const [left, right, above, below] = [onStage([x - 0.5, y]), onStage([x + 0.5, y]), onStage([x, y - 0.5]), onStage([x, y + 0.5])]
  const area = Math.abs((right[0] - left[0]) * (below[1] - above[1]) - (right[1] - left[1]) * (below[0] - above[0]))
  return area > 0 ? width / 2 / Math.sqrt(area) : 0
}

/** What a tip covers from each touch to the next, outlines on the stage; (x, y, pressure) in the plane. */
export function swept(onStage: OnStage, touches: (Point | [number, number, number])[], radius: number): Point[][] {
  const tips = touches.map(([x, y, pressure = 1]) => tipOf(onStage, [x, y], radius * pressure))
  if (tips.length === 1) return tips.filter((tip) => tip.length)
  return tips.slice(1).map((tip, k) => hull([...(tips[k] ?? []), ...tip])).filter((loop) => loop.length)
}

/** A path that is filled, around all of some outlines that go round alike. */
export function around(loops: Point[][]): string {
  return loops.map((loop) => `M${loop.map(([x, y]) => `${x.toFixed(1)} ${y.toFixed(1)}`).join('L')}Z`).join('')
}

/** The convex outline around points (Andrew 1979). */
export function hull(points: Point[]): Point[] {
  const sorted = [...points].sort(([a, b], [c, d]) => a - c || b - d)
  const half = (all: Point[]) => {
    const kept: Point[] = []
    for (const point of all) {
      while (kept.length > 1 && turns(kept[kept.length - 2] as Point, kept[kept.length - 1] as Point, point) <= 0) kept.pop()
      kept.push(point)
    }
    return kept.slice(0, -1)
  }
  return sorted.length < 3 ? [] : [...half(sorted), ...half(sorted.reverse())]
}

function turns([ax, ay]: Point, [bx, by]: Point, [cx, cy]: Point): number {
  return (bx - ax) * (cy - ay) - (by - ay) * (cx - ax)
}

/** An affine map as a canvas takes it. */
export type Affine = [number, number, number, number, number, number]

/** About a point: the affine map of the stage that lays there what `from` says comes from elsewhere; none at a horizon. */
export function laidAt(from: (point: Point) => Point, [x, y]: Point): Affine | null {
  const step = 2
  const [at, right, below] = [from([x, y]), from([x + step, y]), from([x, y + step])]
  const [a, b] = [(right[0] - at[0]) / step, (right[1] - at[1]) / step]
  const [c, d] = [(below[0] - at[0]) / step, (below[1] - at[1]) / step]
  const det = a * d - b * c
  if (!Number.isFinite(det) || Math.abs(det) < 1e-6) return null
  // `from` leads to what is copied: a canvas wants the way back
  const [p, q, r, s] = [d / det, -b / det, -c / det, a / det]
  return [p, q, r, s, x - p * at[0] - r * at[1], y - q * at[0] - s * at[1]]
}
