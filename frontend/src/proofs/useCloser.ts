import { computed, reactive, ref } from 'vue'

import { clamp } from '../parts/scale'

interface Finger { x: number; y: number }
interface Around {
  /** Size of the picture's box, pixels. */
  box: () => { left: number; top: number; width: number; height: number }
  /** A tap that was nothing else, at shares of the picture's width and height. */
  tapped: (x: number, y: number) => void
  /** A finger, or the mouse, is held still, or let go. */
  held: (on: boolean) => void
}

const CLOSEST = 6
/** A second tap within this time comes closer; a finger that stays this long is held. Milliseconds. */
const DOUBLE = 280
const HELD = 380
/** A hand that moves less than this stands still. */
const STILL = 9

/** A picture under fingers: pinch and double tap come closer, dragging pans, a held finger compares, a tap points. */
export function useCloser({ box, tapped, held }: Around) {
  const fingers = new Map<number, Finger>()
  const scale = ref(1)
  const left = ref(0)
  const top = ref(0)
  const style = computed(() => ({ transform: `translate(${left.value}px, ${top.value}px) scale(${scale.value})` }))
  let began: (Finger & { at: number }) | null = null
  let moved = false
  let holding = false
  let waiting: ReturnType<typeof setTimeout> | undefined
  let lastTap = -Infinity
  let pointing: ReturnType<typeof setTimeout> | undefined

  /** Come to a scale, holding the point of the box under (x, y). */
  function to(next: number, x: number, y: number) {
    const { width, height } = box()
    const wanted = clamp(next, 1, CLOSEST)
    left.value = clamp(x - ((x - left.value) * wanted) / scale.value, width * (1 - wanted), 0)
    top.value = clamp(y - ((y - top.value) * wanted) / scale.value, height * (1 - wanted), 0)
    scale.value = wanted
  }
  function pan(dx: number, dy: number) {
    const { width, height } = box()
    left.value = clamp(left.value + dx, width * (1 - scale.value), 0)
    top.value = clamp(top.value + dy, height * (1 - scale.value), 0)
  }
  function middle() {
    const [a, b] = [...fingers.values()]
    return a && b ? { x: (a.x + b.x) / 2, y: (a.y + b.y) / 2, apart: Math.hypot(a.x - b.x, a.y - b.y) } : null
  }
  function placeOf(event: PointerEvent): Finger {
    const at = box()
    return { x: event.clientX - at.left, y: event.clientY - at.top }
  }
  function letGo() {
    clearTimeout(waiting)
    if (holding) held(false)
    holding = false
  }

  function down(event: PointerEvent) {
    if (event.button !== 0) return
    const at = placeOf(event)
    fingers.set(event.pointerId, at)
    if (fingers.size > 1) {
      moved = true
      return letGo()
    }
    began = { ...at, at: event.timeStamp }
    moved = false
    waiting = setTimeout(() => {
      holding = true
      held(true)
    }, HELD)
  }
  function move(event: PointerEvent) {
    const from = fingers.get(event.pointerId)
    if (!from) return
    const before = middle()
    const at = placeOf(event)
    if (!moved && began && Math.hypot(at.x - began.x, at.y - began.y) < STILL) return
    moved = true
    if (!holding) clearTimeout(waiting)
    fingers.set(event.pointerId, at)
    const after = middle()
    if (before && after) {
      pan(after.x - before.x, after.y - before.y)
      to((scale.value * after.apart) / Math.max(before.apart, 1), after.x, after.y)
    } else if (scale.value > 1) pan(at.x - from.x, at.y - from.y)
  }
  function up(event: PointerEvent) {
    const at = fingers.get(event.pointerId)
    fingers.delete(event.pointerId)
    const tap = at && !moved && !holding
    letGo()
    if (tap) touch(at, event.timeStamp)
  }
  function cancel(event: PointerEvent) {
    fingers.delete(event.pointerId)
    moved = true
    letGo()
  }
  function touch(at: Finger, when: number) {
    clearTimeout(pointing)
    if (when - lastTap < DOUBLE) {
      lastTap = -Infinity
      return to(scale.value > 1 ? 1 : 2.5, at.x, at.y)
    }
    lastTap = when
    // a note is pinned once it is clear that no second tap comes
    pointing = setTimeout(() => {
      const { width, height } = box()
      tapped(clamp((at.x - left.value) / scale.value / width, 0, 1), clamp((at.y - top.value) / scale.value / height, 0, 1))
    }, DOUBLE)
  }
  return reactive({ scale, style, to, down, move, up, cancel })
}
