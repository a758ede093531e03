import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { ref } from 'vue'

import { within } from '../testing'
import type { Bench } from './useBench'
import { useKeys } from './useKeys'
import type { Walkover } from './useWalkover'

function hands() {
  const specks = { spots: ref<unknown>(null), judge: vi.fn(), turn: vi.fn(), take: vi.fn() }
  const bench = {
    travel: vi.fn(), zoom: vi.fn(), fit: vi.fn(), takeUp: vi.fn(), pickNeutral: vi.fn(), pickHue: vi.fn(), resizeTool: vi.fn(), buyersSize: vi.fn(), light: vi.fn(), remove: vi.fn(), look: vi.fn(),
    sourceAt: vi.fn((x: number, y: number) => [10 * x, 10 * y]),
    original: ref(false), cursor: ref<{ x: number; y: number } | null>({ x: 3, y: 4 }), tool: ref('heal'), station: ref('clean'), selected: ref<string | null>(null), draft: ref<unknown>(null),
    proof: ref('none'), help: ref(false),
    clean: { specks, outlines: ref('hover'), brush: ref({ softness: 0.3 }), cloning: ref<{ source: unknown; offset: unknown }>({ source: null, offset: [1, 1] }) },
  }
  const walkover = { on: ref(false), go: vi.fn(), stop: vi.fn(), toggle: vi.fn() }
  const { end } = within(() => useKeys(bench as unknown as Bench, walkover as unknown as Walkover))
  return { bench, specks, walkover, end }
}
function press(key: string, more: KeyboardEventInit = {}, on: EventTarget = document.body): KeyboardEvent {
  const event = new KeyboardEvent('keydown', { key, bubbles: true, cancelable: true, ...more })
  on.dispatchEvent(event)
  return event
}
const release = (key: string) => window.dispatchEvent(new KeyboardEvent('keyup', { key }))

let now: ReturnType<typeof hands>
beforeEach(() => (now = hands()))
afterEach(() => now.end())

describe('keys on the bench', () => {
  it.each([['h', 'heal'], ['C', 'clone'], ['y', 'regrow'], ['f', 'fence'], ['t', 'avoid']])('%s takes up %s', (key, method) => {
    expect(press(key).defaultPrevented).toBe(true)
    expect(now.bench.takeUp).toHaveBeenCalledWith('clean', method)
  })

  it('are left alone in fields, and when they are the browser’s own', () => {
    const field = document.body.appendChild(document.createElement('input'))
    expect(press('h', {}, field).defaultPrevented).toBe(false)
    expect(press('h', { ctrlKey: true }).defaultPrevented).toBe(false)
    expect(press('h', { altKey: true }).defaultPrevented).toBe(false)
    expect(press('F5').defaultPrevented).toBe(false)
    expect(now.bench.takeUp).not.toHaveBeenCalled()
    field.remove()
  })

  it('undo and redo', () => {
    press('z', { ctrlKey: true })
    press('Z', { metaKey: true, shiftKey: true })
    expect(now.bench.travel.mock.calls).toEqual([['undo'], ['redo']])
  })

  it('show the original for as long as it is held, and not for ever when the window loses the keys', () => {
    press('o')
    press('o', { repeat: true })
    expect(now.bench.original.value).toBe(true)
    release('o')
    expect(now.bench.original.value).toBe(false)
    press('o')
    window.dispatchEvent(new Event('blur'))
    expect(now.bench.original.value).toBe(false)
  })

  it('zoom at the cursor', () => {
    press('1')
    press('2')
    press('0')
    expect(now.bench.zoom.mock.calls).toEqual([[1, 3, 4], [2, 3, 4]])
    expect(now.bench.fit).toHaveBeenCalled()
  })

  it('take the clone’s source from under the cursor and start its offset anew', () => {
    press('s')
    expect(now.bench.takeUp).toHaveBeenCalledWith('clean', 'clone')
    expect(now.bench.clean.cloning.value).toEqual({ source: [30, 40], offset: null })
    now.bench.cursor.value = null
    now.bench.clean.cloning.value.source = null
    press('s')
    expect(now.bench.clean.cloning.value.source).toBeNull()
  })

  it('change size and softness, which stays between none and all', () => {
    press('.')
    press(',')
    expect(now.bench.resizeTool.mock.calls.map(([by]) => by as number)).toEqual([1.15, 1 / 1.15])
    for (let turn = 0; turn < 5; turn++) press('>')
    expect(now.bench.clean.brush.value.softness).toBe(0)
    for (let turn = 0; turn < 12; turn++) press('<')
    expect(now.bench.clean.brush.value.softness).toBe(1)
  })

  it('go through the ways that outlines are shown', () => {
    const ways = Array.from({ length: 4 }, () => { press(';'); return now.bench.clean.outlines.value })
    expect(ways).toEqual(['active', 'never', 'always', 'hover'])
  })

  it('set proofs up and take them away, and leave Frame for them', () => {
    now.bench.station.value = 'frame'
    press('w')
    expect([now.bench.station.value, now.bench.proof.value]).toEqual(['check', 'wipe'])
    press('b')
    expect(now.bench.proof.value).toBe('pair')
    press('b')
    expect(now.bench.proof.value).toBe('none')
  })

  it('remove the step that is chosen, and nothing where none is', () => {
    press('Delete')
    expect(now.bench.remove).not.toHaveBeenCalled()
    now.bench.selected.value = 'a'
    press('Delete')
    expect(now.bench.remove).toHaveBeenCalledWith('a')
  })

  it('let go of everything by Escape, back to the station’s usual tool', () => {
    now.bench.selected.value = 'a'
    now.bench.draft.value = {}
    now.bench.station.value = 'frame'
    press('Escape')
    expect([now.bench.selected.value, now.bench.draft.value, now.bench.tool.value]).toEqual([null, null, 'crop'])
  })
})

describe('keys that mean something else for a while', () => {
  it('go through specks one by one', () => {
    now.specks.spots.value = []
    for (const key of [' ', '-', 'ArrowRight', 'ArrowLeft', 'Enter']) expect(press(key).defaultPrevented).toBe(true)
    expect(now.specks.judge.mock.calls).toEqual([[true], [false]])
    expect(now.specks.turn.mock.calls).toEqual([[1], [-1]])
    expect(now.specks.take).toHaveBeenCalledWith(true)
    press('h')
    expect(now.bench.takeUp).toHaveBeenCalledWith('clean', 'heal')
    press('Escape')
    expect(now.specks.spots.value).toBeNull()
  })

  it('walk over the photo', () => {
    now.walkover.on.value = true
    for (const key of [' ', 'Enter', 'Backspace', 'Escape']) press(key)
    expect(now.walkover.go.mock.calls).toEqual([[1], [1], [-1]])
    expect(now.walkover.stop).toHaveBeenCalledTimes(1)
  })

  it('are no one’s once the bench is left', () => {
    now.end()
    expect(press('h').defaultPrevented).toBe(false)
    now = hands()
  })
})
