import { computed, onBeforeUnmount, ref, watch } from 'vue'

import { api, taken } from '../api/client'
import { apply } from './geometry'
import type { Bench } from './useBench'

/** How long a part must stand still at 100 % or closer to count as looked at. */
const DWELL = 500
/** Windows overlap by this share, so that nothing falls between two. */
const OVERLAP = 0.08

/** Which parts of a photo were looked at at 100 %, in cells of the source, and a way through the rest. */
export function useWalkover(bench: Bench) {
  const on = ref(false)
  const columns = ref(1)
  const rows = ref(1)
  const seen = ref(new Set<number>())

  watch(bench.page, (page) => {
    if (!page) return
    columns.value = page.walkover.columns
    rows.value = page.walkover.rows
    seen.value = new Set(page.walkover.cells)
  })

  /** Middles of all cells that the result shows, in result pixels. */
  const cells = computed(() => {
    const head = bench.head.value
    const photo = bench.page.value?.photo
    if (!head || !photo) return []
    const list: { index: number; x: number; y: number }[] = []
    for (let row = 0; row < rows.value; row++) {
      for (let column = 0; column < columns.value; column++) {
        const source: [number, number] = [((column + 0.5) * (photo.width ?? 1)) / columns.value, ((row + 0.5) * (photo.height ?? 1)) / rows.value]
        const [x, y] = apply(bench.fromResult.value, source)
        if (x >= 0 && y >= 0 && x < head.size[0] && y < head.size[1]) list.push({ index: row * columns.value + column, x, y })
      }
    }
    return list
  })
  const share = computed(() => (cells.value.length ? cells.value.filter((cell) => seen.value.has(cell.index)).length / cells.value.length : 0))

  const windows = computed(() => {
    const size = bench.head.value?.size ?? [1, 1]
    const { width, height } = bench.stage.value
    return boxes(size[0], width).flatMap((left, i, all) => boxes(size[1], height).map((top, j) => ({ left, top, i, j, last: all.length - 1 }))).sort((a, b) => a.j - b.j || (a.j % 2 ? b.i - a.i : a.i - b.i))
  })
  function boxes(length: number, window: number): number[] {
    if (length <= window) return [(length - window) / 2]
    const count = Math.ceil((length - window) / (window * (1 - OVERLAP))) + 1
    return Array.from({ length: count }, (_, k) => Math.round((k * (length - window)) / (count - 1)))
  }
  const at = ref(-1)

  /** The next window, or the one before, that still has something to look at; all were seen when there is none. */
  function go(by: 1 | -1) {
    look()
    const { width, height } = bench.stage.value
    for (let index = at.value + by; index >= 0 && index < windows.value.length; index += by) {
      const window = windows.value[index]
      if (!window) continue
      const unseen = cells.value.some((cell) => !seen.value.has(cell.index) && cell.x >= window.left && cell.x < window.left + width && cell.y >= window.top && cell.y < window.top + height)
      if (!unseen && by > 0) continue
      at.value = index
      bench.showFrom(window.left, window.top)
      return
    }
    if (by > 0 && share.value < 0.999 && at.value >= 0) {
      at.value = -1
      go(1)
    } else if (by > 0) stop()
  }
  function start() {
    if (bench.station.value === 'frame') bench.station.value = 'check'
    bench.proof.value = 'none'
    on.value = true
    at.value = -1
    go(1)
  }
  function stop() {
    on.value = false
    bench.fit()
  }
  function toggle() {
    if (on.value) stop()
    else start()
  }

  // ---------------------------------------------------------------------------------------- the account

  let dwell: ReturnType<typeof setTimeout> | undefined
  let sending: ReturnType<typeof setTimeout> | undefined
  let unsent: number[] = []

  function look() {
    const now = bench.view.value
    if (!bench.settled.value || now.scale < 0.999 || bench.original.value || bench.whole.value) return
    const right = now.left + bench.room.value / now.scale
    const bottom = now.top + bench.stage.value.height / now.scale
    const fresh = cells.value.filter((cell) => !seen.value.has(cell.index) && cell.x >= now.left && cell.x < right && cell.y >= now.top && cell.y < bottom).map((cell) => cell.index)
    if (!fresh.length) return
    seen.value = new Set([...seen.value, ...fresh])
    unsent.push(...fresh)
    clearTimeout(sending)
    sending = setTimeout(send, 700)
  }
  async function send() {
    const cells = unsent
    unsent = []
    if (!cells.length) return
    try {
      taken(await api.POST('/api/photos/{photo}/walkover', { params: { path: { photo: bench.photo } }, body: { cells } }))
    } catch {
      // the account goes along with the next part that is looked at
      unsent.push(...cells)
    }
  }
  async function startAgain() {
    seen.value = new Set()
    unsent = []
    await api.DELETE('/api/photos/{photo}/walkover', { params: { path: { photo: bench.photo } } })
  }
  watch([bench.settled, bench.view], () => {
    clearTimeout(dwell)
    dwell = setTimeout(look, DWELL)
  })
  onBeforeUnmount(() => {
    clearTimeout(dwell)
    clearTimeout(sending)
    void send()
  })

  return { on, at, windows, cells, seen, share, go, start, stop, toggle, startAgain }
}

export type Walkover = ReturnType<typeof useWalkover>
