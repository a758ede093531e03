import { onBeforeUnmount, onMounted } from 'vue'

import type { Bench } from './useBench'

/** The bench's keys. Typing in a field is left alone. */
export function useKeys(bench: Bench) {
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
    const acts: Record<string, () => void> = {
      o: () => (bench.original.value = true),
      '1': () => bench.zoom(1),
      '0': () => bench.fit(),
      '2': () => bench.zoom(2),
      d: () => take('dab'),
      h: () => take('heal'),
      n: () => {
        bench.station.value = 'balance'
        setTimeout(() => (bench.tool.value = 'neutral'))
      },
      ',': () => resize(1 / 1.15),
      '.': () => resize(1.15),
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

  function take(method: 'dab' | 'heal') {
    bench.station.value = 'clean'
    setTimeout(() => (bench.tool.value = method))
  }
  function resize(by: number) {
    if (bench.station.value !== 'clean') return
    bench.brush.value.size = Math.min(Math.max(bench.brush.value.size * by, 2), 2000)
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
