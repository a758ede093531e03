import { computed, ref, type Ref } from 'vue'

import { apply, IDENTITY, inverse, magnification, turnedBox, type PlaneMap, type Point, type Rect } from './geometry'
import type { FrameHead } from './useSocket'

const MARGIN = 14

interface Seen {
  head: Ref<FrameHead | null>
  /** The straightened picture with all that the crop leaves out, instead of the result. */
  whole: Ref<boolean>
  /** How many pictures stand side by side. */
  side: Ref<number>
  photoSize: Ref<Point>
  look: (fine?: boolean) => void
}

/** Where on the picture the stage looks, and the ways between stage, view and source pixels. */
export function useView({ head, whole, side, photoSize, look }: Seen) {
  const stage = ref({ width: 0, height: 0 })
  const view = ref({ left: 0, top: 0, scale: 0.1 })
  const fitted = ref(true)

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
    Math.min((room.value - 2 * MARGIN) / content.value.width, (stage.value.height - 2 * MARGIN) / content.value.height),
  )

  function fit() {
    fitted.value = true
    const scale = fitScale.value
    view.value = {
      scale,
      left: content.value.left + content.value.width / 2 - room.value / 2 / scale,
      top: content.value.top + content.value.height / 2 - stage.value.height / 2 / scale,
    }
    look()
  }

  /** Show at a scale, holding the point under (x, y) of the stage. */
  function zoom(scale: number, x = room.value / 2, y = stage.value.height / 2) {
    const to = Math.min(Math.max(scale, Math.min(fitScale.value, 1) * 0.5), 16)
    const from = view.value
    fitted.value = false
    view.value = { scale: to, left: from.left + x / from.scale - x / to, top: from.top + y / from.scale - y / to }
    look(false)
  }

  function pan(dx: number, dy: number) {
    fitted.value = false
    view.value = { ...view.value, left: view.value.left - dx / view.value.scale, top: view.value.top - dy / view.value.scale }
    look(false)
  }

  /** Show at 100 % with a result pixel in the upper left corner. */
  function showFrom(left: number, top: number) {
    fitted.value = false
    view.value = { scale: 1, left, top }
    look()
  }

  function centre([x, y]: Point) {
    fitted.value = false
    view.value = { ...view.value, left: x - room.value / 2 / view.value.scale, top: y - stage.value.height / 2 / view.value.scale }
    look(false)
  }

  function resize(width: number, height: number) {
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
  function sourceOfView(point: Point): Point {
    return apply(toSource.value, point)
  }
  const fromResult = computed(() => inverse(head.value?.to_source ?? IDENTITY))
  /** Stage pixels for one source pixel. */
  const sourceScale = computed(() => {
    const { left, top, width, height } = content.value
    return view.value.scale / magnification(toSource.value, [left + width / 2, top + height / 2])
  })

  function viewAt(x: number, y: number): Point {
    return [view.value.left + x / view.value.scale, view.value.top + y / view.value.scale]
  }
  function sourceAt(x: number, y: number): Point {
    return apply(toSource.value, viewAt(x, y))
  }
  function stageOfView([x, y]: Point): Point {
    return [(x - view.value.left) * view.value.scale, (y - view.value.top) * view.value.scale]
  }
  function stageOfSource(point: Point): Point {
    return stageOfView(apply(fromSource.value, point))
  }

  return {
    stage, view, fitted, content, room, fitScale, fit, zoom, pan, showFrom, centre, resize,
    sourceScale, fromResult, viewAt, sourceAt, sourceOfView, stageOfView, stageOfSource,
  }
}
