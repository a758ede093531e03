import type { Step } from '../../api/client'
import { between, type Point } from '../picture/geometry'

/** How a shadow falls: the ground line, the direction in degrees clockwise from level, the length per height. */
export interface Cast { ground: [Point, Point]; angle: number; length: number }

const SHORTEST = 0.05
const LONGEST = 5

export function castOf(step: Step | null | undefined): Cast | null {
  return (step?.params?.cast as Cast | undefined) ?? null
}
export function midOf({ ground: [a, b] }: Cast): Point {
  return between(a, b)
}
/** A thing as high as the ground line is long would throw its head's shadow here. */
function high({ ground: [a, b] }: Cast): number {
  return Math.max(1, Math.hypot(b[0] - a[0], b[1] - a[1]))
}
export function tipOf(cast: Cast): Point {
  const [x, y] = midOf(cast)
  const [turn, far] = [(cast.angle * Math.PI) / 180, high(cast) * cast.length]
  return [x + far * Math.cos(turn), y + far * Math.sin(turn)]
}
/** The direction and length that bring the pointer's tip to a place. */
export function fallenTo(cast: Cast, to: Point): { angle: number; length: number } {
  const [x, y] = midOf(cast)
  const length = Math.hypot(to[0] - x, to[1] - y) / high(cast)
  const angle = Math.round((Math.atan2(to[1] - y, to[0] - x) * 180) / Math.PI)
  return { angle, length: Math.round(Math.min(LONGEST, Math.max(SHORTEST, length)) * 100) / 100 }
}
