/** Rectangles and affine maps for drawing over the picture. No logic of the job: only where things lie. */

export type Point = [number, number]
/** A map of the plane by rows, 3 × 3: affine, or projective for a picture that was squared up. */
export type PlaneMap = [number, number, number, number, number, number, number, number, number]
export const IDENTITY: PlaneMap = [1, 0, 0, 0, 1, 0, 0, 0, 1]

export interface Rect {
  left: number
  top: number
  width: number
  height: number
}

export function apply(map: PlaneMap, [x, y]: Point): Point {
  const depth = map[6] * x + map[7] * y + map[8]
  return [(map[0] * x + map[1] * y + map[2]) / depth, (map[3] * x + map[4] * y + map[5]) / depth]
}

/** A place of the line from one to another: so much of the way, its middle where that is not told. */
export function between(a: Point, b: Point, share = 0.5): Point {
  return [a[0] + share * (b[0] - a[0]), a[1] + share * (b[1] - a[1])]
}

function determinant([a, b, c, d, e, f, g, h, i]: PlaneMap): number {
  return a * (e * i - f * h) - b * (d * i - f * g) + c * (d * h - e * g)
}

export function inverse(map: PlaneMap): PlaneMap {
  const [a, b, c, d, e, f, g, h, i] = map
  const det = determinant(map)
  const adjugate = [
    e * i - f * h, c * h - b * i, b * f - c * e,
    f * g - d * i, a * i - c * g, c * d - a * f,
    d * h - e * g, b * g - a * h, a * e - b * d,
  ]
  return adjugate.map((part) => part / det) as PlaneMap
}

/** How much longer a length gets under a map, about a point. */
export function magnification(map: PlaneMap, [x, y]: Point): number {
  return Math.sqrt(Math.abs(determinant(map) / (map[6] * x + map[7] * y + map[8]) ** 3))
}

/** The box of a picture of `size` turned by `degrees` about its middle. */
export function turnedBox([width, height]: Point, degrees: number): Rect {
  const sin = Math.abs(Math.sin((degrees * Math.PI) / 180))
  const cos = Math.abs(Math.cos((degrees * Math.PI) / 180))
  const across = width * cos + height * sin
  const down = width * sin + height * cos
  return { left: (width - across) / 2, top: (height - down) / 2, width: across, height: down }
}

export function turnedRatio(name: string): string {
  const [across, down] = name.split(':')
  return down ? `${down}:${across}` : name
}

export function rectOf([left, top, width, height]: [number, number, number, number]): Rect {
  return { left, top, width, height }
}

export type Turning = 'left' | 'right' | 'mirror' | 'flip'

/** Where a crop of a picture of `size` comes to lie when the picture is turned or mirrored. */
export function turnedRect(was: Rect & { ratio: string }, [width, height]: Point, way: Turning): Rect & { ratio: string } {
  if (way === 'right') return { left: height - was.top - was.height, top: was.left, width: was.height, height: was.width, ratio: turnedRatio(was.ratio) }
  if (way === 'left') return { left: was.top, top: width - was.left - was.width, width: was.height, height: was.width, ratio: turnedRatio(was.ratio) }
  if (way === 'mirror') return { ...was, left: width - was.left - was.width }
  return { ...was, top: height - was.top - was.height }
}

/** The largest rectangle of a ratio inside another, in whole steps so that the ratio is exact, as near to `middle` as it goes. */
export function largestOf(name: string, inside: Rect, middle: Point): Rect {
  const [across, down] = name.split(':').map(Number)
  if (!across || !down) return inside
  const units = Math.floor(Math.min(inside.width / across, inside.height / down) + 1e-9)
  const width = units * across
  const height = units * down
  return {
    left: Math.round(clampTo(middle[0] - width / 2, inside.left, inside.left + inside.width - width)),
    top: Math.round(clampTo(middle[1] - height / 2, inside.top, inside.top + inside.height - height)),
    width,
    height,
  }
}

export type Handle = 'n' | 's' | 'e' | 'w' | 'ne' | 'nw' | 'se' | 'sw' | 'move'

/** A crop after one of its handles moved by (dx, dy); the opposite side stays, the ratio is kept when there is one. */
export function draggedCrop(from: Rect, handle: Handle, dx: number, dy: number, ratio: string, bounds: Rect, least: number): Rect {
  if (handle === 'move') {
    return {
      ...from,
      left: clampTo(from.left + dx, bounds.left, bounds.left + bounds.width - from.width),
      top: clampTo(from.top + dy, bounds.top, bounds.top + bounds.height - from.height),
    }
  }
  const west = handle.includes('w')
  const north = handle.includes('n')
  const sideways = west || handle.includes('e')
  const upright = north || handle.includes('s')
  const right = from.left + from.width
  const bottom = from.top + from.height
  const roomX = west ? right - bounds.left : bounds.left + bounds.width - from.left
  const roomY = north ? bottom - bounds.top : bounds.top + bounds.height - from.top
  let width = clampTo(from.width + (sideways ? (west ? -dx : dx) : 0), least, roomX)
  let height = clampTo(from.height + (upright ? (north ? -dy : dy) : 0), least, roomY)
  const [across, down] = ratio.split(':').map(Number)
  if (across && down) {
    const wanted = sideways && upright ? Math.max(width / across, height / down) : sideways ? width / across : height / down
    const most = Math.min(roomX / across, roomY / down)
    const units = Math.max(Math.ceil(least / Math.min(across, down)), Math.floor(Math.min(wanted, most)))
    width = units * across
    height = units * down
  }
  return {
    left: Math.round(west ? right - width : sideways || !across ? from.left : from.left + (from.width - width) / 2),
    top: Math.round(north ? bottom - height : upright || !across ? from.top : from.top + (from.height - height) / 2),
    width: Math.round(width),
    height: Math.round(height),
  }
}

function clampTo(value: number, low: number, high: number): number {
  return Math.min(Math.max(value, low), Math.max(low, high))
}

/** A place of the unit square in the perspective of four corners that it is seen as, clockwise from the upper left. */
export function inQuad(corners: Point[], place: Point): Point {
  return apply(quadMap(corners), place)
}
/** From a square of side 1 to four corners, clockwise from its upper left. */
export function quadMap(corners: Point[]): PlaneMap {
  const [a, b, c, d] = corners as [Point, Point, Point, Point]
  const [dx1, dy1, dx2, dy2] = [b[0] - c[0], b[1] - c[1], d[0] - c[0], d[1] - c[1]]
  const [dx3, dy3] = [a[0] - b[0] + c[0] - d[0], a[1] - b[1] + c[1] - d[1]]
  const det = dx1 * dy2 - dx2 * dy1
  const g = (dx3 * dy2 - dx2 * dy3) / det
  const h = (dx1 * dy3 - dx3 * dy1) / det
  return [
    b[0] - a[0] + g * b[0], d[0] - a[0] + h * d[0], a[0], b[1] - a[1] + g * b[1], d[1] - a[1] + h * d[1], a[1], g, h, 1,
  ]
}

/** Where an event lies on the stage: the drawing that its target is, or is part of, fills it. */
export function onStage(event: PointerEvent): Point {
  const target = event.currentTarget as SVGElement
  const box = (target.ownerSVGElement ?? target).getBoundingClientRect()
  return [event.clientX - box.left, event.clientY - box.top]
}
