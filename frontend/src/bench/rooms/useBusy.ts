import { useEventListener } from '@vueuse/core'

const GESTURES = ['pointerdown', 'pointermove', 'keydown', 'wheel'] as const

/**
 * Counts seconds of work on this page: the time between gestures, where no pause is longer than `idle` seconds. `taken`
 * tells how many came since it was asked before.
 */
export function useBusy(idle: number, now: () => number = () => performance.now() / 1000) {
  let last: number | null = null
  let busy = 0

  function gesture() {
    const at = now()
    if (last !== null && at - last <= idle) busy += at - last
    last = at
  }
  for (const name of GESTURES) useEventListener(window, name, gesture, { passive: true, capture: true })
  function taken(): number {
    const seconds = busy
    busy = 0
    return Math.round(10 * seconds) / 10
  }
  return { taken }
}
