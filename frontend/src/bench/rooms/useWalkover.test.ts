import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { nextTick, reactive, ref } from 'vue'

import { answering, problem, within } from '../../testing'
import { useWalkover } from './useWalkover'

/** A photo of 2000 × 1000 in cells of 250 px, shown on a stage of 1000 × 500. */
function bench() {
  const made = {
    ledger: reactive({ photo: 'p', page: null as unknown }),
    frames: reactive({ head: { size: [2000, 1000] } }),
    view: reactive({
      sourceScale: 0.5,
      around: { on: false, eye: { heading: 0, pitch: 0, field: 90 }, closeField: 60, set: vi.fn(), sees: () => () => true },
      fromResult: [1, 0, 0, 0, 1, 0, 0, 0, 1], stage: { width: 1000, height: 500 }, room: 1000, at: { left: 0, top: 0, scale: 0.5 }, fit: vi.fn(),
      showFrom: (left: number, top: number) => (made.view.at = { left, top, scale: 1 }),
    }),
    tools: reactive({ whole: false, station: 'clean' }),
    proof: reactive({ original: false, way: 'pair' }),
    settled: ref(true),
  }
  return made
}
const PAGE = { photo: { width: 2000, height: 1000 }, walkover: { columns: 8, rows: 4, cells: [] as number[] } }
const SAVE = 'POST /api/photos/p/walkover'

async function walked(cells: number[] = []) {
  const own = bench()
  const { made, end } = within(() => useWalkover(own as unknown as Parameters<typeof useWalkover>[0]))
  own.ledger.page = { ...PAGE, walkover: { ...PAGE.walkover, cells } }
  await nextTick()
  return { own, made, end }
}
const rest = async () => {
  await nextTick()
  await vi.advanceTimersByTimeAsync(501)
}

beforeEach(() => void vi.useFakeTimers())
afterEach(() => {
  vi.useRealTimers()
  vi.unstubAllGlobals()
})

describe('the walkover', () => {
  it('counts a part that stood still at 100 % for half a second, and sends it', async () => {
    const asked = answering({ [SAVE]: {} })
    const { own, made, end } = await walked()
    own.view.at = { left: 0, top: 0, scale: 1 }
    await nextTick()
    await vi.advanceTimersByTimeAsync(400)
    expect(made.share).toBe(0)
    await rest()
    expect(made.share).toBe(8 / 32)
    await vi.advanceTimersByTimeAsync(701)
    expect(asked[0]?.body).toEqual({ cells: [0, 1, 2, 3, 8, 9, 10, 11] })
    end()
  })

  it.each([
    ['smaller than 100 %', (own: ReturnType<typeof bench>) => { own.view.at = { left: 0, top: 0, scale: 0.9 } }],
    ['the original', (own: ReturnType<typeof bench>) => { own.proof.original = true; own.view.at = { left: 0, top: 0, scale: 1 } }],
    ['a frame that is not fine yet', (own: ReturnType<typeof bench>) => { own.settled.value = false; own.view.at = { left: 0, top: 0, scale: 1 } }],
    ['the uncropped whole', (own: ReturnType<typeof bench>) => { own.tools.whole = true; own.view.at = { left: 0, top: 0, scale: 1 } }],
  ])('does not count %s', async (_, show) => {
    answering({ [SAVE]: {} })
    const { own, made, end } = await walked()
    show(own)
    await rest()
    expect(made.share).toBe(0)
    end()
  })

  it('goes window by window to and fro until all was seen, then shows the whole again', async () => {
    answering({ [SAVE]: {} })
    const { own, made, end } = await walked()
    made.start()
    expect(own.proof.way).toBe('none')
    const places: number[][] = []
    for (let turn = 0; turn < 20 && made.on; turn++) {
      places.push([own.view.at.left, own.view.at.top])
      await rest()
      made.go(1)
    }
    expect(places.length).toBeGreaterThanOrEqual(4)
    expect(made.share).toBe(1)
    expect(made.on).toBe(false)
    expect(own.view.fit).toHaveBeenCalled()
    // the second row is walked from right to left
    const second = places.filter(([, top]) => top === places.find(([, y]) => (y ?? 0) > 0)?.[1]).map(([left]) => left ?? 0)
    expect(second).toEqual([...second].sort((a, b) => b - a))
    end()
  })

  it('skips windows that were seen before', async () => {
    answering({ [SAVE]: {} })
    const upper = Array.from({ length: 16 }, (_, index) => index)
    const { own, made, end } = await walked(upper)
    expect(made.share).toBe(0.5)
    made.start()
    expect(own.view.at.top).toBeGreaterThan(0)
    end()
  })

  it('sends again what could not be sent', async () => {
    let away = true
    const asked = answering({ [SAVE]: () => (away ? problem(503, 'Away.') : {}) })
    const { own, end } = await walked()
    own.view.at = { left: 0, top: 0, scale: 1 }
    await rest()
    await vi.advanceTimersByTimeAsync(701)
    away = false
    own.view.at = { left: 1000, top: 0, scale: 1 }
    await rest()
    await vi.advanceTimersByTimeAsync(701)
    expect((asked.at(-1)?.body as { cells: number[] }).cells).toHaveLength(16)
    end()
  })

  it('sends what is unsent when the page is left', async () => {
    const asked = answering({ [SAVE]: {} })
    const { own, end } = await walked()
    own.view.at = { left: 0, top: 0, scale: 1 }
    await rest()
    end()
    await vi.advanceTimersByTimeAsync(1)
    expect(asked).toHaveLength(1)
  })

  it('counts only what a crop leaves', async () => {
    answering({ [SAVE]: {} })
    const { own, made, end } = await walked()
    own.frames.head = { size: [500, 500] }
    expect(made.cells.map((cell) => cell.index)).toEqual([0, 1, 8, 9])
    end()
  })

  it('looks around in views that show the sphere, and counts what each shows', async () => {
    const asked = answering({ [SAVE]: {} })
    const { own, made } = await walked()
    own.view.around.on = true
    made.start()
    expect(own.view.around.set).toHaveBeenCalledWith({ heading: 0, pitch: 0, field: 60 }, true)
    Object.assign(own.view, { sourceScale: 1 })
    own.view.around.eye = { heading: 0, pitch: 0, field: 60 }
    await rest()
    await vi.advanceTimersByTimeAsync(800)
    expect(made.share).toBe(1)
    expect(asked).toHaveLength(1)
  })
})
