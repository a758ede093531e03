import type { Point } from './geometry'

/**
 * A curve through rising points that never turns back between them, for drawing what the server computes
 * (Fritsch and Butland 1984, doi:10.1137/0905021: weighted harmonic means of the neighbouring slopes). Ends are held level.
 */
export function through(points: Point[], x: number): number {
  const first = points[0]
  const last = points[points.length - 1]
  if (!first || !last || points.length < 2) return x
  if (x <= first[0]) return first[1]
  if (x >= last[0]) return last[1]
  const k = points.findIndex((point) => point[0] > x) - 1
  const [x0, y0] = at(points, k)
  const [x1, y1] = at(points, k + 1)
  const width = x1 - x0
  const t = (x - x0) / width
  const d0 = slopeAt(points, k) * width
  const d1 = slopeAt(points, k + 1) * width
  const rise = y1 - y0
  return y0 + t * (d0 + t * (3 * rise - 2 * d0 - d1 + t * (d0 + d1 - 2 * rise)))
}

function at(points: Point[], k: number): Point {
  return points[k] ?? [0, 0]
}

function secant(points: Point[], k: number): [slope: number, width: number] {
  const [x0, y0] = at(points, k)
  const [x1, y1] = at(points, k + 1)
  return [(y1 - y0) / (x1 - x0), x1 - x0]
}

function slopeAt(points: Point[], k: number): number {
  const n = points.length
  if (n === 2) return secant(points, 0)[0]
  if (k === 0) return endSlope(secant(points, 0), secant(points, 1))
  if (k === n - 1) return endSlope(secant(points, n - 2), secant(points, n - 3))
  const [before, h0] = secant(points, k - 1)
  const [after, h1] = secant(points, k)
  if (before * after <= 0) return 0
  const w1 = 2 * h1 + h0
  const w2 = h1 + 2 * h0
  return (w1 + w2) / (w1 / before + w2 / after)
}

/** Three-point estimate at an end, kept from turning back. */
function endSlope([near, h0]: [number, number], [next, h1]: [number, number]): number {
  const slope = ((2 * h0 + h1) * near - h0 * next) / (h0 + h1)
  if (slope * near <= 0) return 0
  return near * next <= 0 && Math.abs(slope) > 3 * Math.abs(near) ? 3 * near : slope
}
