import { computed, reactive, ref, watch, type Ref } from 'vue'

import { clamp } from '../../parts/scale'
import { inverse, IDENTITY, type PlaneMap, type Point } from '../picture/geometry'
import {
  anglesOf, directionOf, facing, finestFocal, focalOf, MOST_ACROSS, ofDirection, product, seenAt, toRay, transposed, turned, turnedBy, within180,
  type Eye, type Ray, type SphereSpec, type ViewSpec,
} from '../picture/sphere'
import type { FrameHead } from '../types'

/** Degrees across the view, at least and at most, and to begin with. */
export const FIELD = { low: 20, high: 140, rest: 90 }

/** In place of a sphere where there is none. */
const NONE: SphereSpec = [1, 1, 0, 0]

interface Seen {
  head: Ref<FrameHead | null>
  /** What of a whole panorama the photo shows; null for other photos. */
  sphere: Ref<SphereSpec | null>
  stage: Ref<{ width: number; height: number }>
  room: Ref<number>
  /** Something flat is shown in any case. */
  flat: Ref<boolean>
  look: (fine?: boolean) => void
}

/** Looking around in a panorama: where the eye looks, and the ways between the stage and the sphere. */
export function useAround({ head, sphere, stage, room, flat, look }: Seen) {
  const wanted = ref(false)
  const eye = ref<Eye>({ heading: 0, pitch: 0, field: FIELD.rest })
  const on = computed(() => wanted.value && sphere.value !== null && !flat.value)

  watch(sphere, (now, before) => {
    if (now && !before) wanted.value = true
  })
  watch(on, () => look())

  const turn = computed<PlaneMap>(() => (head.value?.turn as PlaneMap | null | undefined) ?? IDENTITY)
  const size = computed<Point>(() => [Math.max(1, room.value), Math.max(1, stage.value.height)])
  /** Stage pixels to directions in the photo's own sphere. */
  const map = computed(() => product(product(turn.value, turnedBy(eye.value.heading, eye.value.pitch)), toRay(eye.value.field, size.value)))
  const back = computed(() => inverse(map.value))

  /** Stage pixels for one of a view at the photo's own resolution. */
  const scale = computed(() => {
    const focal = focalOf({ field: eye.value.field, size: size.value })
    return Math.max(focal / finestFocal(sphere.value ?? NONE), size.value[0] / MOST_ACROSS)
  })
  /** The view as steps name it: in the photo's own sphere, at its own resolution. */
  const spec = computed<ViewSpec | null>(() => {
    if (!on.value || !sphere.value) return null
    const round = (value: number) => Math.round(value * 1e4) / 1e4
    const { heading, pitch, roll } = anglesOf(product(turn.value, turnedBy(eye.value.heading, eye.value.pitch)))
    const [across, down] = size.value.map((side) => Math.max(16, Math.round(side / scale.value)))
    return {
      kind: 'view', heading: round(heading), pitch: round(pitch), roll: round(roll), field: eye.value.field,
      size: [across ?? 16, down ?? 16], sphere: sphere.value,
    }
  })

  function sourceAt(x: number, y: number): Point {
    return sphere.value ? ofDirection(sphere.value, turned(map.value, [x, y, 1])) : [0, 0]
  }
  function stageOfSource(point: Point): Point {
    return sphere.value ? seenAt(back.value, directionOf(sphere.value, point)) : [NaN, NaN]
  }

  /** Whether a place of the photo would be seen from where an eye looks. */
  function sees(from: Eye) {
    const back = inverse(product(product(turn.value, turnedBy(from.heading, from.pitch)), toRay(from.field, size.value)))
    return (point: Point): boolean => {
      const [x, y] = sphere.value ? seenAt(back, directionOf(sphere.value, point)) : [NaN, NaN]
      return x >= 0 && y >= 0 && x <= size.value[0] && y <= size.value[1]
    }
  }
  /** The field in which one pixel of the photo is one of the stage, about the middle. */
  const closeField = computed(() => Math.max(FIELD.low, fieldOf(1)))
  function fieldOf(times: number): number {
    const focal = times * finestFocal(sphere.value ?? NONE)
    return (Math.atan(size.value[0] / 2 / focal) * 360) / Math.PI
  }

  // ------------------------------------------------------------------------------------------- moving the eye

  function set(next: Partial<Eye>, fine = false) {
    const { heading, pitch, field } = { ...eye.value, ...next }
    const tenth = (value: number) => Math.round(value * 100) / 100
    eye.value = { heading: tenth(within180(heading)), pitch: tenth(clamp(pitch, -90, 90)), field: tenth(clamp(field, FIELD.low, FIELD.high)) }
    look(fine)
  }
  /** The picture follows the hand by stage pixels. */
  function drag(dx: number, dy: number) {
    const perPixel = (2 * Math.tan((eye.value.field * Math.PI) / 360) * 180) / Math.PI / size.value[0]
    // toward the poles a turn moves less of the picture: the hand keeps what it holds
    const level = Math.max(0.25, Math.cos((eye.value.pitch * Math.PI) / 180))
    set({ heading: eye.value.heading - (dx * perPixel) / level, pitch: eye.value.pitch + dy * perPixel })
  }
  function closer(by: number) {
    const tangent = Math.tan((eye.value.field * Math.PI) / 360) / by
    set({ field: (Math.atan(tangent) * 360) / Math.PI })
  }
  /** One pixel of the photo on `times` of the stage, about the middle. */
  function exactly(times: number) {
    set({ field: fieldOf(times) })
  }
  function face(point: Point) {
    if (!sphere.value) return
    set(facing(turned(transposed(turn.value), directionOf(sphere.value, point))), true)
  }
  function toggle(to = !wanted.value) {
    wanted.value = to
  }

  /** The view's edge as places of the flat picture, for the small map: pieces of it that do not cross the seam. */
  const footprint = computed<Point[][]>(() => {
    const of = sphere.value
    if (!on.value || !of) return []
    const [width, height] = size.value
    const ring: Ray[] = []
    for (let k = 0; k < 160; k++) {
      const [side, t] = [Math.floor(k / 40), (k % 40) / 40]
      const corner: Point[] = [[t * width, 0], [width, t * height], [(1 - t) * width, height], [0, (1 - t) * height]]
      ring.push(turned(map.value, [...(corner[side] as Point), 1]))
    }
    const lines: Point[][] = [[]]
    let last: Point | null = null
    for (const ray of [...ring, ring[0] as Ray]) {
      const point = ofDirection(of, ray)
      if (last && Math.abs(point[0] - last[0]) > of[0] / 2) lines.push([])
      lines[lines.length - 1]?.push(point)
      last = point
    }
    return lines
  })

  return reactive({ wanted, eye, on, sphere, scale, spec, footprint, closeField, sees, sourceAt, stageOfSource, set, drag, closer, exactly, face, toggle })
}

export type AroundRoom = ReturnType<typeof useAround>
