import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'

import { within } from '../testing'
import { GESTURES, KEYS, METHOD_KEYS, written } from './keys'
import type { Bench } from './useBench'
import { useKeys } from './useKeys'

function hands() {
  const bench = {
    ledger: { travel: vi.fn(), remove: vi.fn(), page: { long_side: 2400 } },
    view: {
      zoom: vi.fn(), fit: vi.fn(), buyersSize: vi.fn(), sourceAt: (x: number, y: number) => [10 * x, 10 * y],
      cursor: { x: 3, y: 4 } as unknown, spaced: false,
    },
    tools: {
      takeUp: vi.fn(), pickNeutral: vi.fn(), pickHue: vi.fn(), putDown: vi.fn(), resizePick: vi.fn(), tool: 'heal', station: 'clean',
      selected: null as string | null, picking: false,
    },
    proof: { original: false, light: vi.fn(), prove: vi.fn() },
    clean: {
      specks: { spots: null as unknown, judge: vi.fn(), turn: vi.fn(), take: vi.fn(), leave: vi.fn() }, outlines: 'hover', brush: { size: 60, hardness: 0.7 },
      setTip: vi.fn(), gathered: [] as unknown[], hint: null as unknown, run: vi.fn(), takeHint: vi.fn(), cloning: {
        source: null as unknown, offset: [1, 1] as unknown,
      },
    },
    areas: { shown: true }, pieces: { piece: null as unknown, half: vi.fn() }, painting: { clicks: [] as unknown[], finish: vi.fn(), cancel: vi.fn() },
    walkover: { on: false, go: vi.fn(), stop: vi.fn(), toggle: vi.fn() },
    judging: (act: () => void) => act(), go: vi.fn(),
  }
  const ask = vi.fn()
  const { end } = within(() => useKeys(bench as unknown as Bench, ask))
  return { bench, ask, end }
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

describe('the table of keys', () => {
  it('has one meaning for each key', () => {
    const plain = KEYS.filter((one) => !one.when && !one.control).map((one) => one.key)
    expect(plain.filter((key, index) => plain.indexOf(key) !== index)).toEqual([])
  })

  it('has no letter that a control takes for itself', () => {
    const controls = GESTURES.filter((one) => one.group === 'Controls').map((one) => one.keys.toLowerCase())
    for (const { key } of KEYS) if (/^[a-z0-9]$/.test(key)) expect(controls).not.toContain(key)
  })

  it('says of every key what it does, in words that can be read', () => {
    for (const one of KEYS) expect(one.says.length).toBeGreaterThan(2)
    expect([written({ key: ' ' }), written({ key: 'z', control: true }), written({ key: 'delete' })]).toEqual(['Space', 'Ctrl Z', 'Delete'])
  })
})

describe('keys on the bench', () => {
  it.each(Object.entries(METHOD_KEYS))('%s is taken up by %s', (method, key) => {
    expect(press(key.toUpperCase()).defaultPrevented).toBe(true)
    expect(now.bench.tools.takeUp).toHaveBeenCalledWith('clean', method)
  })

  it('are left alone in fields, in dialogs, and when they are the browser’s own', () => {
    document.body.innerHTML = '<input><div role="dialog"><button></button></div>'
    expect(press('h', {}, document.querySelector('input') as Element).defaultPrevented).toBe(false)
    expect(press('h', {}, document.querySelector('button') as Element).defaultPrevented).toBe(false)
    expect(press('h', { ctrlKey: true }).defaultPrevented).toBe(false)
    expect(press('h', { altKey: true }).defaultPrevented).toBe(false)
    expect(press('F5').defaultPrevented).toBe(false)
    expect(now.bench.tools.takeUp).not.toHaveBeenCalled()
    document.body.innerHTML = ''
  })

  it('go no further than the control that has taken them', () => {
    const control = document.body.appendChild(document.createElement('div'))
    control.addEventListener('keydown', (event) => event.preventDefault())
    press('t', {}, control)
    press('Escape', {}, control)
    expect(now.bench.tools.takeUp).not.toHaveBeenCalled()
    expect(now.bench.tools.putDown).not.toHaveBeenCalled()
    control.remove()
  })

  it('undo and redo', () => {
    press('z', { ctrlKey: true })
    press('Z', { metaKey: true, shiftKey: true })
    expect(now.bench.ledger.travel.mock.calls).toEqual([['undo'], ['redo']])
  })

  it('show the original for as long as it is held, and not for ever when the window loses the keys', () => {
    press('o')
    press('o', { repeat: true })
    expect(now.bench.proof.original).toBe(true)
    release('o')
    expect(now.bench.proof.original).toBe(false)
    press('o')
    window.dispatchEvent(new Event('blur'))
    expect(now.bench.proof.original).toBe(false)
  })

  it('pan by Space over the picture; elsewhere it presses the button that has the focus', () => {
    const button = document.body.appendChild(document.createElement('button'))
    expect(press(' ', {}, button).defaultPrevented).toBe(true)
    expect(now.bench.view.spaced).toBe(true)
    release(' ')
    expect(now.bench.view.spaced).toBe(false)
    now.bench.view.cursor = null
    expect(press(' ', {}, button).defaultPrevented).toBe(false)
    button.remove()
  })

  it('zoom at the cursor, go to other photos, and ask for the list', () => {
    press('1')
    press('2')
    press('0')
    press('PageDown')
    press('?')
    expect(now.bench.view.zoom.mock.calls).toEqual([[1, 3, 4], [2, 3, 4]])
    expect(now.bench.view.fit).toHaveBeenCalled()
    expect(now.bench.go).toHaveBeenCalledWith(1)
    expect(now.ask).toHaveBeenCalled()
  })

  it('take the clone’s source from under the cursor and start its offset anew', () => {
    press('s')
    expect(now.bench.tools.takeUp).toHaveBeenCalledWith('clean', 'clone')
    expect(now.bench.clean.cloning).toEqual({ source: [30, 40], offset: null })
    now.bench.view.cursor = null
    now.bench.clean.cloning.source = null
    press('s')
    expect(now.bench.clean.cloning.source).toBeNull()
  })

  it('change size and softness of the tip, and the size of a pick where one picks', () => {
    press('.')
    press('<')
    press('>')
    expect(now.bench.clean.setTip.mock.calls).toEqual([['size', 69], ['hardness', 0.6], ['hardness', 0.8]])
    now.bench.tools.picking = true
    press(',')
    expect(now.bench.tools.resizePick).toHaveBeenCalledWith(1 / 1.15)
  })

  it('show a piece half while one is held, and take the method of that key elsewhere', () => {
    press('h')
    expect(now.bench.tools.takeUp).toHaveBeenCalledWith('clean', 'heal')
    now.bench.tools.station = 'pieces'
    now.bench.pieces.piece = {}
    press('h')
    expect(now.bench.pieces.half).toHaveBeenLastCalledWith(true)
    release('h')
    expect(now.bench.pieces.half).toHaveBeenLastCalledWith(false)
  })

  it('go through the ways that outlines are shown', () => {
    const ways = Array.from({ length: 4 }, () => { press(';'); return now.bench.clean.outlines })
    expect(ways).toEqual(['active', 'never', 'always', 'hover'])
  })

  it('light lamps and set proofs up', () => {
    for (const key of ['q', 'v', 'w', 'b', '3']) press(key)
    expect(now.bench.proof.light.mock.calls).toEqual([['cast'], ['level']])
    expect(now.bench.proof.prove.mock.calls).toEqual([['wipe'], ['pair']])
    expect(now.bench.view.buyersSize).toHaveBeenCalledWith(2400)
  })

  it('remove the step that is chosen, and nothing where none is', () => {
    press('Delete')
    expect(now.bench.ledger.remove).not.toHaveBeenCalled()
    now.bench.tools.selected = 'a'
    press('Delete')
    expect(now.bench.ledger.remove).toHaveBeenCalledWith('a')
  })

  it('end by Enter what is begun: clicks first, then what was gathered, then the hint', () => {
    expect(press('Enter').defaultPrevented).toBe(false)
    now.bench.clean.hint = {}
    press('Enter')
    now.bench.clean.gathered = [1]
    press('Enter')
    now.bench.painting.clicks = [1]
    press('Enter')
    const { clean, painting } = now.bench
    expect([clean.takeHint, clean.run, painting.finish].map((one) => one.mock.calls.length)).toEqual([1, 1, 1])
  })

  it('let go of everything by Escape', () => {
    press('Escape')
    expect(now.bench.painting.cancel).toHaveBeenCalled()
    expect(now.bench.tools.putDown).toHaveBeenCalled()
  })
})

describe('keys that mean something else for a while', () => {
  it('go through specks one by one, whatever has the focus', () => {
    const { specks } = now.bench.clean
    specks.spots = []
    const button = document.body.appendChild(document.createElement('button'))
    for (const key of [' ', '-', 'ArrowRight', 'ArrowLeft', 'Enter']) expect(press(key, {}, button).defaultPrevented).toBe(true)
    expect(specks.judge.mock.calls).toEqual([[true], [false]])
    expect(specks.turn.mock.calls).toEqual([[1], [-1]])
    expect(specks.take).toHaveBeenCalledWith(true)
    press('h')
    expect(now.bench.tools.takeUp).toHaveBeenCalledWith('clean', 'heal')
    press('Escape')
    expect(specks.leave).toHaveBeenCalled()
    expect(now.bench.view.spaced).toBe(false)
    button.remove()
  })

  it('walk over the photo', () => {
    now.bench.walkover.on = true
    for (const key of [' ', 'Enter', 'Backspace', 'Escape']) press(key)
    expect(now.bench.walkover.go.mock.calls).toEqual([[1], [1], [-1]])
    expect(now.bench.walkover.stop).toHaveBeenCalledTimes(1)
  })

  it('are no one’s once the bench is left', () => {
    now.end()
    expect(press('h').defaultPrevented).toBe(false)
    now = hands()
  })
})
