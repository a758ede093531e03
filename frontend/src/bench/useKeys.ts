import { onBeforeUnmount, onMounted } from 'vue'

import { LAMPS, type Bench } from './useBench'
import type { Walkover } from './useWalkover'

/** The bench's keys. Typing in a field is left alone. */
export function useKeys(bench: Bench, walkover: Walkover) {
  function down(event: KeyboardEvent) {
    const target = event.target as HTMLElement
    if (target.closest('input, textarea')) return
    const key = event.key.toLowerCase()
    if ((event.ctrlKey || event.metaKey) && key === 'z') {
      event.preventDefault()
      void bench.travel(event.shiftKey ? 'redo' : 'undo')
      return
    }
    if (event.ctrlKey || event.metaKey || event.altKey) return
    if (walkover.on.value && walk(event.key)) return event.preventDefault()
    const acts: Record<string, () => void> = {
      o: () => (bench.original.value = true),
      '1': () => bench.zoom(1, bench.cursor.value?.x, bench.cursor.value?.y),
      '0': () => bench.fit(),
      '2': () => bench.zoom(2, bench.cursor.value?.x, bench.cursor.value?.y),
      d: () => bench.takeUp('clean', 'dab'),
      h: () => bench.takeUp('clean', 'heal'),
      n: bench.pickNeutral,
      g: bench.pickHue,
      l: () => bench.takeUp('frame', 'line'),
      ',': () => bench.resizeTool(1 / 1.15),
      '.': () => bench.resizeTool(1.15),
      k: walkover.toggle,
      w: () => prove('wipe'),
      b: () => prove('pair'),
      '3': bench.buyersSize,
      ...Object.fromEntries(LAMPS.map((lamp) => [lamp.key, () => bench.light(lamp.name)])),
      '?': () => (bench.help.value = !bench.help.value),
      delete: () => bench.selected.value && void bench.remove(bench.selected.value),
      escape: () => {
        bench.selected.value = null
        bench.draft.value = null
        if (bench.station.value === 'frame') bench.tool.value = 'crop'
        else if (bench.station.value === 'balance') bench.tool.value = 'look'
        bench.look()
      },
    }
    const act = acts[key]
    if (!act || (event.repeat && key === 'o')) return
    event.preventDefault()
    act()
  }

  function walk(key: string): boolean {
    if (key === ' ' || key === 'Enter') walkover.go(1)
    else if (key === 'Backspace') walkover.go(-1)
    else if (key === 'Escape') walkover.stop()
    else return false
    return true
  }
  function prove(way: 'wipe' | 'pair') {
    if (bench.station.value === 'frame') bench.station.value = 'check'
    bench.proof.value = bench.proof.value === way ? 'none' : way
  }
  function up(event: KeyboardEvent) {
    if (event.key.toLowerCase() === 'o') bench.original.value = false
  }
  function blur() {
    bench.original.value = false
  }

  onMounted(() => {
    window.addEventListener('keydown', down)
    window.addEventListener('keyup', up)
    window.addEventListener('blur', blur)
  })
  onBeforeUnmount(() => {
    window.removeEventListener('keydown', down)
    window.removeEventListener('keyup', up)
    window.removeEventListener('blur', blur)
  })
}
