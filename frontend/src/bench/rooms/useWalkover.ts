import { useDebounceFn } from '@vueuse/core'
import { computed, onBeforeUnmount, reactive, ref, watch, type Ref } from 'vue'

import { api, taken } from '../../api/client'
import { apply, type Point } from '../picture/geometry'
import { covering, type Eye } from '../picture/sphere'
import type { FramesRoom } from './useFrames'
import type { LedgerRoom } from './useLedger'
import type { ProofRoom } from './useProof'
import type { ToolsRoom } from './useTools'
import type { ViewRoom } from './useView'

/** How long a part must stand still at 100 % or closer to count as looked at. */
const DWELL = 500
/** Windows overlap by this share, so that nothing falls between two. */
const OVERLAP = 0.08

interface Around {
  ledger: LedgerRoom
  view: ViewRoom
  frames: FramesRoom
  tools: ToolsRoom
  proof: ProofRoom
  /** Everything is saved, and what is shown is a fine frame of it. */
  settled: Ref<boolean>
}

/** Which parts of a photo were looked at at 100 %, in cells of the source, and a way through the rest. */
export function useWalkover({ ledger, view, frames, tools, proof, settled }: Around) {
  const on = ref(false)
  const columns = ref(1)
  const rows = ref(1)
  const seen = ref(new Set<number>())

  watch(() => ledger.page, (page) => {
    if (!page) return
    columns.value = page.walkover.columns
    rows.value = page.walkover.rows
    seen.value = new Set(page.walkover.cells)
  })

  /** Middles of all cells that the result shows, in result pixels. */
  const cells = computed(() => {
    const head = frames.head
    const photo = ledger.page?.photo
    if (!head || !photo) return []
    const list: { index: number; x: number; y: number }[] = []
    for (let row = 0; row < rows.value; row++) {
      for (let column = 0; column < columns.value; column++) {
        const across = ((column + 0.5) * (photo.width ?? 1)) / columns.value
        const down = ((row + 0.5) * (photo.height ?? 1)) / rows.value
        const [x, y] = apply(view.fromResult, [across, down])
        const inside = x >= 0 && y >= 0 && x < head.size[0] && y < head.size[1]
        if (inside) list.push({ index: row * columns.value + column, x, y })
      }
    }
    return list
  })
  const share = computed(() => {
    const looked = cells.value.filter((cell) => seen.value.has(cell.index))
    return cells.value.length ? looked.length / cells.value.length : 0
  })

  const windows = computed(() => {
    const size = frames.head?.size ?? [1, 1]
    const { width, height } = view.stage
    const rows = boxes(size[1], height)
    // to and fro, so that the next window lies beside the last
    return boxes(size[0], width)
      .flatMap((left, i) => rows.map((top, j) => ({ left, top, i, j })))
      .sort((a, b) => a.j - b.j || (a.j % 2 ? b.i - a.i : a.i - b.i))
  })
  function boxes(length: number, window: number): number[] {
    if (length <= window) return [(length - window) / 2]
    const count = Math.ceil((length - window) / (window * (1 - OVERLAP))) + 1
    return Array.from({ length: count }, (_, k) => Math.round((k * (length - window)) / (count - 1)))
  }
  const at = ref(-1)
  /** Looking around, the windows are views that show the sphere once, from the horizon out. */
  const views = computed(() => covering(view.around.closeField, view.stage.height / Math.max(1, view.room), OVERLAP))
  const count = computed(() => (view.around.on ? views.value.length : windows.value.length))
  const middleOf = (index: number): Point => {
    const { width, height } = ledger.page?.photo ?? {}
    const [column, row] = [index % columns.value, Math.floor(index / columns.value)]
    return [((column + 0.5) * (width ?? 1)) / columns.value, ((row + 0.5) * (height ?? 1)) / rows.value]
  }
  function unseenFrom(eye: Eye): number[] {
    const sees = view.around.sees(eye)
    return cells.value.filter(({ index }) => !seen.value.has(index) && sees(middleOf(index))).map((cell) => cell.index)
  }

  function unseenIn(left: number, top: number, right: number, bottom: number): number[] {
    return cells.value
      .filter(({ index, x, y }) => !seen.value.has(index) && x >= left && x < right && y >= top && y < bottom)
      .map((cell) => cell.index)
  }

  /** The next window, or the one before, that still has something to look at; all were seen when there is none. */
  function go(by: 1 | -1) {
    look()
    const { width, height } = view.stage
    for (let index = at.value + by; index >= 0 && index < count.value; index += by) {
      const to = view.around.on ? views.value[index] : undefined
      if (to) {
        const eye = { ...to, field: view.around.closeField }
        if (by > 0 && !unseenFrom(eye).length) continue
        at.value = index
        view.around.set(eye, true)
        return
      }
      const window = windows.value[index]
      if (!window) continue
      const inWindow = unseenIn(window.left, window.top, window.left + width, window.top + height)
      if (!inWindow.length && by > 0) continue
      at.value = index
      view.showFrom(window.left, window.top)
      return
    }
    if (by > 0 && share.value < 0.999 && at.value >= 0) {
      at.value = -1
      go(1)
    } else if (by > 0) stop()
  }
  function start() {
    if (tools.station === 'frame') tools.station = 'check'
    proof.way = 'none'
    on.value = true
    at.value = -1
    go(1)
  }
  function stop() {
    on.value = false
    view.fit()
  }
  function toggle() {
    if (on.value) stop()
    else start()
  }

  // ---------------------------------------------------------------------------------------- the account

  let unsent: number[] = []
  const sendSoon = useDebounceFn(send, 700)

  function look() {
    const now = view.at
    const scale = view.around.on ? view.sourceScale : now.scale
    if (!settled.value || scale < 0.99 || proof.original || tools.whole) return
    const right = now.left + view.room / now.scale
    const bottom = now.top + view.stage.height / now.scale
    const fresh = view.around.on ? unseenFrom(view.around.eye) : unseenIn(now.left, now.top, right, bottom)
    if (!fresh.length) return
    seen.value = new Set([...seen.value, ...fresh])
    unsent.push(...fresh)
    void sendSoon()
  }
  async function send() {
    const cells = unsent
    unsent = []
    if (!cells.length) return
    try {
      taken(await api.POST('/api/photos/{photo}/walkover', { params: { path: { photo: ledger.photo } }, body: { cells } }))
    } catch {
      // the account goes along with the next part that is looked at
      unsent.push(...cells)
    }
  }
  async function startAgain() {
    seen.value = new Set()
    unsent = []
    await api.DELETE('/api/photos/{photo}/walkover', { params: { path: { photo: ledger.photo } } })
  }
  watch([settled, () => view.at, () => view.around.eye], useDebounceFn(look, DWELL))
  onBeforeUnmount(send)

  return reactive({ on, at, windows, count, cells, seen, share, go, start, stop, toggle, startAgain })
}

export type WalkoverRoom = ReturnType<typeof useWalkover>
