import type { Schemas } from '../../api/client'
import { IDENTITY, inverse, type PlaneMap, type Point } from './geometry'

/** The sphere around a camera, for drawing on a view into it; the server's `core/pictures/sphere.py` says the same. */

export type Ray = [number, number, number]
export type ViewSpec = Schemas['ViewChart']
export type SphereSpec = [number, number, number, number]
/** Where one looks, degrees. */
export interface Eye {
  heading: number
  pitch: number
  field: number
}

const TURN = 2 * Math.PI
const radians = (degrees: number) => (degrees * Math.PI) / 180
const degrees = (angle: number) => (angle * 180) / Math.PI

export function product(one: PlaneMap, other: PlaneMap): PlaneMap {
  const axes = [0, 1, 2]
  const part = (row: number, column: number) => axes.reduce((sum, k) => sum + (one[3 * row + k] ?? 0) * (other[3 * k + column] ?? 0), 0)
  return axes.flatMap((row) => axes.map((column) => part(row, column))) as PlaneMap
}

export function turned(map: PlaneMap, [x, y, z]: Ray): Ray {
  return [map[0] * x + map[1] * y + map[2] * z, map[3] * x + map[4] * y + map[5] * z, map[6] * x + map[7] * y + map[8] * z]
}

export function transposed(map: PlaneMap): PlaneMap {
  return [map[0], map[3], map[6], map[1], map[4], map[7], map[2], map[5], map[8]]
}

/** Turns what is ahead of an eye to where it looks: heading to the right, pitch upward, roll leaning to the right. */
export function turnedBy(heading: number, pitch: number, roll = 0): PlaneMap {
  const [ch, sh] = [Math.cos(radians(heading)), Math.sin(radians(heading))]
  const [cp, sp] = [Math.cos(radians(pitch)), Math.sin(radians(pitch))]
  const [cr, sr] = [Math.cos(radians(roll)), Math.sin(radians(roll))]
  return product(product([ch, 0, sh, 0, 1, 0, -sh, 0, ch], [1, 0, 0, 0, cp, -sp, 0, sp, cp]), [cr, -sr, 0, sr, cr, 0, 0, 0, 1])
}

/** Heading, pitch and roll of a turn, degrees. */
export function anglesOf(turn: PlaneMap): { heading: number; pitch: number; roll: number } {
  const pitch = degrees(Math.asin(Math.min(1, Math.max(-1, -turn[5]))))
  if (Math.abs(pitch) > 90 - 1e-6) return { heading: degrees(Math.atan2(-turn[6], turn[0])), pitch: 90 * Math.sign(pitch), roll: 0 }
  const heading = degrees(Math.atan2(turn[2], turn[8]))
  const leaned = product(transposed(turnedBy(heading, pitch)), turn)
  return { heading, pitch, roll: degrees(Math.atan2(leaned[3], leaned[0])) }
}

/** A view's pixels to directions from an eye that looks ahead. */
export function toRay(field: number, [width, height]: Point): PlaneMap {
  const focal = focalOf({ field, size: [width, height] })
  return [1 / focal, 0, -width / 2 / focal, 0, 1 / focal, -height / 2 / focal, 0, 0, 1]
}

export function directionOf([width, height, left, top]: SphereSpec, [x, y]: Point): Ray {
  const heading = ((x + left) / width - 0.5) * TURN
  const fall = ((y + top) / height - 0.5) * Math.PI
  return [Math.sin(heading) * Math.cos(fall), Math.sin(fall), Math.cos(heading) * Math.cos(fall)]
}

/** The picture's coordinates of a direction. */
export function ofDirection([width, height, left, top]: SphereSpec, [right, down, ahead]: Ray): Point {
  const across = Math.atan2(right, ahead) / TURN + 0.5
  const below = 0.5 + Math.atan2(down, Math.hypot(right, ahead)) / Math.PI
  return [across * width - left, below * height - top]
}

/** A view's pixels to directions in the picture's own sphere. */
export function rays(view: ViewSpec): PlaneMap {
  return product(turnedBy(view.heading ?? 0, view.pitch ?? 0, view.roll ?? 0), toRay(view.field ?? 90, view.size as Point))
}

/** Where directions lie in a view: not a number for those behind it. */
export function seenAt(back: PlaneMap, ray: Ray): Point {
  const [x, y, depth] = turned(back, ray)
  return depth > 1e-9 ? [x / depth, y / depth] : [NaN, NaN]
}

/** What was drawn in a view, on the picture and the other way round. */
export function waysOf(view: ViewSpec) {
  const map = rays(view)
  const back = inverse(map)
  const sphere = view.sphere as SphereSpec
  return {
    toSource: ([x, y]: Point): Point => ofDirection(sphere, turned(map, [x, y, 1])),
    ofSource: (point: Point): Point => seenAt(back, directionOf(sphere, point)),
  }
}

/** Turned the least way, so that it looks along a direction. */
function turnedTowards(turn: PlaneMap, [x, y, z]: Ray): PlaneMap {
  const [u, v, w] = [turn[2], turn[5], turn[8]]
  const axis: Ray = [v * z - w * y, w * x - u * z, u * y - v * x]
  const [a, b, c] = axis
  const cross: PlaneMap = [0, -c, b, c, 0, -a, -b, a, 0]
  const twice = product(cross, cross)
  const share = 1 / (1 + u * x + v * y + w * z)
  return product(IDENTITY.map((one, k) => one + (cross[k] ?? 0) + share * (twice[k] ?? 0)) as PlaneMap, turn)
}

/** A view has at most so many pixels across. */
export const MOST_ACROSS = 8192
/** Focal length of the eye that looks through a view, its pixels. */
export function focalOf({ field, size: [across] }: Pick<ViewSpec, 'field' | 'size'>): number {
  return across / 2 / Math.tan(radians(field ?? 90) / 2)
}
/** The same of a view whose pixels amid it are as large as the flat picture's. */
export function finestFocal(sphere: SphereSpec): number {
  return sphere[0] / TURN
}

/** What lies around a thing is seen with it, as a share of the thing; and no view reaches farther to a side, degrees. */
const AROUND = 0.6
const FARTHEST = 70
/**
 * A square view with places of a panorama in its middle, and what lies around them; upright as the view is through which they
 * are looked at, as fine as the panorama. None where they reach too far around.
 */
export function viewAround(places: Point[], looked: ViewSpec): ViewSpec | null {
  const sphere = looked.sphere as SphereSpec
  const found = places.map((place) => directionOf(sphere, place))
  const sum = found.reduce(([a, b, c], [x, y, z]): Ray => [a + x, b + y, c + z], [0, 0, 0] as Ray)
  const long = Math.hypot(...sum)
  const turn = turnedTowards(turnedBy(looked.heading ?? 0, looked.pitch ?? 0, looked.roll ?? 0), sum.map((value) => value / long) as Ray)
  const reach = Math.max(...found.map((ray) => Math.max(...seenAt(transposed(turn), ray).map(Math.abs))))
  const focal = finestFocal(sphere)
  const side = Math.max(16, 2 * Math.round(focal * reach * (1 + AROUND)))
  if (!(reach < Math.tan(radians(FARTHEST))) || side > MOST_ACROSS) return null
  const { heading, pitch, roll } = anglesOf(turn)
  const told = (value: number) => Math.round(value * 1e4) / 1e4
  return {
    kind: 'view', heading: told(heading), pitch: told(pitch), roll: told(roll),
    field: told(2 * degrees(Math.atan(side / 2 / focal))), size: [side, side], sphere,
  }
}

/** Heading of a direction from -180 to 180, and pitch. */
export function facing([right, down, ahead]: Ray): { heading: number; pitch: number } {
  return { heading: degrees(Math.atan2(right, ahead)), pitch: degrees(Math.atan2(-down, Math.hypot(right, ahead))) }
}

/** Directions of views of `field` degrees, `ratio` times as high as wide, that show the whole sphere with overlap. */
export function covering(field: number, ratio: number, overlap: number): { heading: number; pitch: number }[] {
  const down = degrees(2 * Math.atan(Math.tan(radians(field) / 2) * ratio))
  const rings = Math.max(0, Math.ceil((90 - down / 2) / (down * (1 - overlap)) - 1e-9))
  const list: { heading: number; pitch: number }[] = []
  for (let ring = 0; ring <= rings; ring++) {
    const pitch = Math.min(90, ring * down * (1 - overlap))
    for (const one of ring ? [pitch, -pitch] : [0]) {
      // a view's own edge toward the horizon is the longest stretch of the ring that it has to cover
      const nearest = Math.max(0, pitch - down / 2)
      const count = pitch >= 90 ? 1 : Math.max(3, Math.ceil((360 * Math.cos(radians(nearest))) / (field * (1 - overlap))))
      for (let k = 0; k < count; k++) list.push({ heading: within180((360 * k) / count), pitch: one })
    }
  }
  return list
}

export function within180(heading: number): number {
  return ((((heading + 180) % 360) + 360) % 360) - 180
}

