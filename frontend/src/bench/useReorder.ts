import { ref } from 'vue'

import type { LedgerRoom } from './rooms/useLedger'
import type { StepView } from './types'

/** Steps dragged, or moved by keys, to another place in their station. */
export function useReorder(ledger: LedgerRoom) {
  /** The step in hand, and the one it would go before; null is the station's end. */
  const inHand = ref<{ id: string; before: string | null } | null>(null)
  let pressed: { view: StepView; y: number } | null = null

  function ofStation(view: StepView): StepView[] {
    return ledger.steps.filter((other) => other.station === view.station)
  }

  function press(view: StepView, event: PointerEvent) {
    if (event.button === 0 && ofStation(view).length > 1) pressed = { view, y: event.clientY }
  }
  function move(event: PointerEvent) {
    if (!pressed || (!inHand.value && Math.abs(event.clientY - pressed.y) < 6)) return
    ;(event.currentTarget as HTMLElement).setPointerCapture(event.pointerId)
    const rows = ofStation(pressed.view)
    const under = rows.find((row) => {
      const box = document.querySelector(`[data-step="${row.step.id}"]`)?.getBoundingClientRect()
      return box && event.clientY < box.top + box.height / 2
    })
    inHand.value = { id: pressed.view.step.id ?? '', before: under?.step.id ?? null }
  }
  /** True when it was a drag, so that no click follows from it. */
  function drop(): boolean {
    const held = inHand.value
    const view = pressed?.view
    inHand.value = null
    pressed = null
    if (!held || !view) return false
    if (held.before !== held.id) void put(view, held.before)
    return true
  }
  function shift(view: StepView, by: -1 | 1) {
    const rows = ofStation(view)
    const index = rows.findIndex((row) => row.step.id === view.step.id)
    if (rows[index + by]) void put(view, rows[index + (by > 0 ? 2 : -1)]?.step.id ?? null)
  }
  async function put(view: StepView, before: string | null) {
    // the end of a station lies before the first step of the next one in the list
    const rows = ofStation(view)
    const last = ledger.steps.findIndex((one) => one.step.id === rows[rows.length - 1]?.step.id)
    const to = before ?? ledger.steps[last + 1]?.step.id ?? null
    await ledger.change(`Move ${view.title.toLowerCase()}`, [{ kind: 'move', id: view.step.id ?? '', before: to }])
  }
  return { inHand, press, move, drop, shift }
}
