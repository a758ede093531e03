import type { ViewRoom } from '../rooms/useView'

/** Two fingers on the picture: it moves and grows with them. */
export function usePinch(view: Pick<ViewRoom, 'pan' | 'closer'>, placeOf: (event: PointerEvent) => { x: number; y: number }) {
  const fingers = new Map<number, { x: number; y: number }>()

  function middle() {
    const [a, b] = [...fingers.values()]
    if (!a || !b) return null
    return { x: (a.x + b.x) / 2, y: (a.y + b.y) / 2, apart: Math.hypot(a.x - b.x, a.y - b.y) }
  }
  /** True while two fingers are down: no tool takes these events. */
  function down(event: PointerEvent): boolean {
    if (event.pointerType !== 'touch') return false
    fingers.set(event.pointerId, placeOf(event))
    return fingers.size > 1
  }
  function move(event: PointerEvent): boolean {
    if (!fingers.has(event.pointerId)) return false
    const from = middle()
    fingers.set(event.pointerId, placeOf(event))
    const to = middle()
    if (fingers.size !== 2 || !from || !to) return false
    view.pan(to.x - from.x, to.y - from.y)
    view.closer(to.apart / Math.max(from.apart, 1), to.x, to.y)
    return true
  }
  function up(event: PointerEvent) {
    fingers.delete(event.pointerId)
  }
  return { down, move, up }
}
