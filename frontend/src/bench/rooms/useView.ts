import { computed, reactive, ref, type Ref } from 'vue'

import { apply, IDENTITY, inverse, magnification, turnedBox, type PlaneMap, type Point, type Rect } from '../picture/geometry'
import { directionOf, ofDirection, transposed, turned, waysOf, type SphereSpec, type ViewSpec } from '../picture/sphere'
import type { FrameHead, Place } from '../types'
import { FIELD, useAround } from './useAround'

const MARGIN = 14
/** Stage pixels for one of the picture, at most. */
const CLOSEST = 16

interface Seen {
  head: Ref<FrameHead | null>
  /** The straightened picture with all that the crop leaves out, instead of the result. */
  whole: Ref<boolean>
  /** How many pictures stand side by side. */
  side: Ref<number>
  photoSize: Ref<Point>
  /** What of a whole panorama the photo shows; null for other photos. */
  sphere: Ref<SphereSpec | null>
  look: (fine?: boolean) => void
}

/** Where on the picture the stage looks, and the ways between stage, view and source pixels. */
export function useView({ head, whole, side, photoSize, sphere, look }: Seen) {
  const stage = ref({ width: 0, height: 0 })
  /** The window on the picture: its corner in the picture's pixels, and stage pixels for one of those. */
  const at = ref({ left: 0, top: 0, scale: 0.1 })
  const fitted = ref(true)
  /** Where the hand is on the stage; keys come closer there. */
  const cursor = ref<Place | null>(null)
  /** A key is held with which every drag pans. */
  const spaced = ref(false)

  /** What the view's coordinates measure: the result, or the whole straightened picture in Frame. */
  const content = computed<Rect>(() => {
    const now = head.value
    if (!now) return { left: 0, top: 0, width: photoSize.value[0], height: photoSize.value[1] }
    if (whole.value) return turnedBox(now.turned, now.angle)
    return { left: 0, top: 0, width: now.size[0], height: now.size[1] }
  })
  /** Width of one picture on the stage: half of it when two stand side by side. */
  const room = computed(() => (side.value === 2 ? Math.floor(stage.value.width / 2) - 1 : stage.value.width))
  const fitScale = computed(() =>
    Math.min((room.value - 2 * MARGIN) / content.value.width, (stage.value.height - 2 * MARGIN) / content.value.height, CLOSEST),
  )

  /** The window that shows all of the picture. */
  function whereAllShows(): typeof at.value {
    const scale = fitScale.value
    return {
      scale,
      left: content.value.left + content.value.width / 2 - room.value / 2 / scale,
      top: content.value.top + content.value.height / 2 - stage.value.height / 2 / scale,
    }
  }

  const around = useAround({ head, sphere, stage, room, flat: whole, look })

  function fit() {
    if (around.on) return around.set({ field: FIELD.rest }, true)
    fitted.value = true
    at.value = whereAllShows()
    look()
  }

  /** The picture that came has another size: keep all of it in view. What already shows it is not asked for again. */
  function grown() {
    if (!fitted.value) return
    const { scale, left, top } = whereAllShows()
    if (scale !== at.value.scale || left !== at.value.left || top !== at.value.top) fit()
  }

  /** Show at a scale, holding the point under (x, y) of the stage. */
  function zoom(scale: number, x = room.value / 2, y = stage.value.height / 2) {
    if (around.on) return around.exactly(scale)
    const to = Math.min(Math.max(scale, Math.min(fitScale.value, 1) * 0.5), CLOSEST)
    const from = at.value
    fitted.value = false
    at.value = { scale: to, left: from.left + x / from.scale - x / to, top: from.top + y / from.scale - y / to }
    look(false)
  }

  /** Closer by a factor, holding the point under (x, y) of the stage. */
  function closer(by: number, x?: number, y?: number) {
    if (around.on) around.closer(by)
    else zoom(at.value.scale * by, x, y)
  }

  function pan(dx: number, dy: number) {
    if (around.on) return around.drag(dx, dy)
    fitted.value = false
    at.value = { ...at.value, left: at.value.left - dx / at.value.scale, top: at.value.top - dy / at.value.scale }
    look(false)
  }

  /** Show at 100 % with a result pixel in the upper left corner. */
  function showFrom(left: number, top: number) {
    if (around.on) return around.face(resultToSource([left + room.value / 2, top + stage.value.height / 2]))
    fitted.value = false
    at.value = { scale: 1, left, top }
    look()
  }

  function centre([x, y]: Point) {
    fitted.value = false
    at.value = { ...at.value, left: x - room.value / 2 / at.value.scale, top: y - stage.value.height / 2 / at.value.scale }
    look(false)
  }

  function resize(width: number, height: number) {
    if (width === stage.value.width && height === stage.value.height) return
    stage.value = { width, height }
    if (fitted.value) fit()
    else look()
  }

  // -------------------------------------------------------------------------------------- coordinates

  const toSource = computed<PlaneMap>(() => {
    const now = head.value
    if (!now) return IDENTITY
    return whole.value ? now.level_to_source : now.to_source
  })
  const fromSource = computed(() => inverse(toSource.value))
  /** A panorama whose sphere is turned: between its places and those of the photo. */
  function untwisted(point: Point): Point {
    const turn = head.value?.turn as PlaneMap | null | undefined
    return turn && sphere.value ? ofDirection(sphere.value, turned(turn, directionOf(sphere.value, point))) : point
  }
  function twisted(point: Point): Point {
    const turn = head.value?.turn as PlaneMap | null | undefined
    return turn && sphere.value ? ofDirection(sphere.value, turned(transposed(turn), directionOf(sphere.value, point))) : point
  }
  function sourceOfView(point: Point): Point {
    return untwisted(apply(toSource.value, point))
  }
  function resultToSource(point: Point): Point {
    return untwisted(apply(head.value?.to_source ?? IDENTITY, point))
  }
  const fromResult = computed(() => inverse(head.value?.to_source ?? IDENTITY))
  /** Stage pixels for one source pixel. */
  const sourceScale = computed(() => {
    if (around.on) return around.scale
    const { left, top, width, height } = content.value
    return at.value.scale / magnification(toSource.value, [left + width / 2, top + height / 2])
  })

  function viewAt(x: number, y: number): Point {
    return [at.value.left + x / at.value.scale, at.value.top + y / at.value.scale]
  }
  function sourceAt(x: number, y: number): Point {
    return around.on ? around.sourceAt(x, y) : sourceOfView(viewAt(x, y))
  }
  function stageOfView([x, y]: Point): Point {
    return [(x - at.value.left) * at.value.scale, (y - at.value.top) * at.value.scale]
  }
  function stageOfSource(point: Point): Point {
    return around.on ? around.stageOfSource(point) : stageOfView(apply(fromSource.value, twisted(point)))
  }

  // ---------------------------------------------- what a hand draws: on the flat picture, or in the view it looks through

  /** The view that is drawn in; nothing on the flat picture. */
  const spec = computed<ViewSpec | undefined>(() => around.spec ?? undefined)
  /** Where (x, y) of the stage lies in what is drawn in: source pixels, or those of the view. */
  function handAt(x: number, y: number): Point {
    return around.on ? [x / around.scale, y / around.scale] : sourceAt(x, y)
  }
  function stageOfHand([x, y]: Point): Point {
    return around.on ? [x * around.scale, y * around.scale] : stageOfSource([x, y])
  }
  function sourceOfHand(point: Point): Point {
    return around.on ? sourceAt(...stageOfHand(point)) : point
  }
  function handOfSource(point: Point): Point {
    return around.on ? handAt(...stageOfSource(point)) : point
  }
  /** A line drawn straight, as source pixels: bent as the view bends it. */
  function sourceLine(points: Point[]): Point[] {
    if (!around.on) return points
    const between = (a: Point, b: Point) => {
      const count = Math.max(1, Math.ceil(Math.hypot(b[0] - a[0], b[1] - a[1]) / 40))
      return Array.from({ length: count }, (_, k): Point => [a[0] + ((b[0] - a[0]) * k) / count, a[1] + ((b[1] - a[1]) * k) / count])
    }
    const bent = points.flatMap((point, k) => (k + 1 < points.length ? between(point, points[k + 1] as Point) : [point]))
    return bent.map(sourceOfHand)
  }
  /** The ways of something that was drawn in a view, or on the flat picture. */
  function drawnIn(view: ViewSpec | null | undefined) {
    if (!view) return { toStage: stageOfSource, toSource: (point: Point) => point, ofSource: (point: Point) => point }
    const { toSource: ofView, ofSource } = waysOf(view)
    return { toStage: (point: Point) => stageOfSource(ofView(point)), toSource: ofView, ofSource }
  }
  /** Stage pixels for one pixel of what something was drawn in, about a place of it. */
  function scaleIn(view: ViewSpec | null | undefined, at: Point): number {
    if (!view) return sourceScale.value
    const { toStage } = drawnIn(view)
    const [a, b] = [toStage([at[0] - 4, at[1]]), toStage([at[0] + 4, at[1]])]
    const found = Math.hypot(b[0] - a[0], b[1] - a[1]) / 8
    return Number.isFinite(found) ? found : sourceScale.value
  }

  // ------------------------------------------------------------------------- places that are brought into view

  /** Bring a box of result pixels into view at 100 %. */
  function show(where: number[]) {
    const [left = 0, top = 0, width = 0, height = 0] = where
    showFrom(left + width / 2 - room.value / 2, top + height / 2 - stage.value.height / 2)
  }
  /** Bring a source place to the middle of the stage, at 100 % or closer. */
  function centreSource(point: Point) {
    if (around.on) return around.face(point)
    if (at.value.scale < 1) zoom(1)
    centre(apply(fromResult.value, twisted(point)))
  }
  /** Delivered pixels one to one, where the delivery is `longSide` long. */
  function buyersSize(longSide: number | null | undefined) {
    const size = head.value?.size
    if (size) zoom(longSide ? Math.min(1, longSide / Math.max(...size)) : 1)
  }
  /** Go back to a window that was left. */
  function goTo(window: { left: number; top: number; scale: number }) {
    fitted.value = false
    at.value = window
    look()
  }

  return reactive({
    stage, at, fitted, cursor, spaced, content, room, fitScale, fit, grown, zoom, closer, pan, showFrom, centre, resize, show, centreSource, buyersSize,
    goTo, around, sourceScale, fromResult, viewAt, sourceAt, sourceOfView, stageOfView, stageOfSource,
    spec, handAt, stageOfHand, sourceOfHand, handOfSource, sourceLine, drawnIn, scaleIn,
  })
}

export type ViewRoom = ReturnType<typeof useView>
