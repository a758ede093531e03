import { useEventListener } from '@vueuse/core'

import { KEYS } from './keys'
import type { Bench } from './useBench'

/** The bench's keys. Typing in a field is left alone, and so is whatever a control has taken. */
export function useKeys(bench: Bench, askKeys: () => void) {
  function down(event: KeyboardEvent) {
    if (event.defaultPrevented || (event.target as HTMLElement).closest('input, textarea, [role="dialog"], [role="listbox"]')) return
    const control = event.ctrlKey || event.metaKey
    const pressed = event.key.toLowerCase()
    if (event.altKey) return
    if (pressed === '?' && !control) {
      event.preventDefault()
      return askKeys()
    }
    const found = KEYS.find((one) => one.key === pressed && Boolean(one.control) === control && (one.when?.(bench) ?? true))
    if (!found || (found.release && event.repeat)) return
    // a focused button is pressed by Space and Enter as anywhere; what is gone through for a while takes them first
    const passing = found.group === 'Walkover' || found.group === 'Specks' || (pressed === ' ' && bench.view.cursor)
    if ((pressed === ' ' || pressed === 'enter') && !passing && (event.target as HTMLElement).closest('button, a')) return
    event.preventDefault()
    found.act(bench, event.shiftKey)
  }
  function up(event: KeyboardEvent) {
    KEYS.find((one) => one.release && one.key === event.key.toLowerCase())?.release?.(bench)
  }
  function blur() {
    for (const one of KEYS) one.release?.(bench)
  }
  useEventListener(window, 'keydown', down)
  useEventListener(window, 'keyup', up)
  useEventListener(window, 'blur', blur)
}
