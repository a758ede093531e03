import { onBeforeUnmount, onMounted } from 'vue'

import { LIMITS, METHODS } from './clean/methods'
import { OUTLINES } from './clean/useClean'
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
    if (bench.clean.specks.spots.value && review(event.key)) return event.preventDefault()
    const acts: Record<string, () => void> = {
      o: () => (bench.original.value = true),
      '1': () => bench.zoom(1, bench.cursor.value?.x, bench.cursor.value?.y),
      '0': () => bench.fit(),
      '2': () => bench.zoom(2, bench.cursor.value?.x, bench.cursor.value?.y),
      ...Object.fromEntries([...METHODS, ...LIMITS].filter((method) => method.key).map((method) => [method.key.toLowerCase(), () => bench.takeUp('clean', method.name)])),
      s: setSource,
      ';': () => (bench.clean.outlines.value = OUTLINES[(OUTLINES.indexOf(bench.clean.outlines.value) + 1) % OUTLINES.length] ?? 'hover'),
      n: bench.pickNeutral,
      g: bench.pickHue,
      l: () => bench.takeUp('frame', 'line'),
      '<': () => soften(0.1),
      '>': () => soften(-0.1),
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

  /** Specks one by one: accept, refuse, look again, take the rest. */
  function review(key: string): boolean {
    const { judge, turn, take, spots } = bench.clean.specks
    if (key === ' ' || key === '+') judge(true)
    else if (key === '-' || key === 'Delete') judge(false)
    else if (key === 'ArrowRight') turn(1)
    else if (key === 'ArrowLeft') turn(-1)
    else if (key === 'Enter') void take(true)
    else if (key === 'Escape') spots.value = null
    else return false
    return true
  }
  function soften(by: number) {
    const { brush } = bench.clean
    brush.value.softness = Math.round(10 * Math.min(1, Math.max(0, brush.value.softness + by))) / 10
  }
  /** The clone's source is what lies under the cursor. */
  function setSource() {
    const at = bench.cursor.value
    if (!at) return
    if (bench.tool.value !== 'clone') bench.takeUp('clean', 'clone')
    bench.clean.cloning.value.source = bench.sourceAt(at.x, at.y)
    bench.clean.cloning.value.offset = null
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
