import { mount } from '@vue/test-utils'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'

import { around, operation } from '../testing'
import StepList from './StepList.vue'
import { bench } from './testing/theBench'

vi.mock('./useBench', () => import('./testing/theBench'))

const view = (id: string, station: string, title: string, more: object = {}) => ({
  step: { id, op: id, params: {}, enabled: true, strength: 1, ...more }, title, station,
})
const acts = { putStep: vi.fn(), drag: vi.fn(), remove: vi.fn(), travel: vi.fn(), change: vi.fn() }
const open = vi.fn()
const DECKS: Record<string, ReturnType<typeof operation>> = {
  crop: operation('Crop', 'frame', { tunable: false }), fence: operation('Fence', 'clean', { tunable: false, limits: true }),
}

function list(steps: object[], busy: Record<string, number> = {}) {
  Object.assign(bench, {
    ledger: { ...acts, steps, ledger: { can_undo: true, can_redo: false } },
    tools: { selected: null, open }, frames: { busy }, decks: { of: (op: string) => DECKS[op] ?? operation(op, 'clean') },
  })
  return mount(StepList, { global: { ...around, stubs: { CopySteps: true } } })
}

beforeEach(() => void vi.useFakeTimers())
afterEach(() => {
  vi.useRealTimers()
  vi.clearAllMocks()
})

describe('the list of steps', () => {
  it('stands by station, in the order of the tabs, each by its name', () => {
    const made = list([
      view('heal', 'clean', 'Heal'), view('exposure', 'balance', 'Exposure'), view('crop', 'frame', 'Crop 4:5'), view('specks', 'clean', 'Specks · 2'),
    ])
    expect(made.findAll('.station').map((one) => one.text())).toEqual(['frame', 'balance', 'clean'])
    expect(made.findAll('.stub .name').map((one) => one.text())).toEqual(['Crop 4:5', 'Exposure', 'Heal', 'Specks · 2'])
  })

  it('says so when there are none', () => expect(list([]).text()).toContain('The photo is as it came.'))

  it('switches a step off and on', async () => {
    const made = list([view('heal', 'clean', 'Heal', { enabled: false })])
    expect(made.get('[role=switch]').attributes('aria-checked')).toBe('false')
    await made.get('[role=switch]').trigger('click')
    expect(acts.putStep).toHaveBeenCalledWith('Heal on', expect.objectContaining({ id: 'heal', enabled: true }))
  })

  it('weakens a step by dragging, live, and saves once; keys do it by twentieths', async () => {
    const made = list([view('heal', 'clean', 'Heal')])
    const bar = made.get('[role=slider]')
    const element = bar.element as HTMLElement
    element.getBoundingClientRect = () => ({ left: 0, width: 50 }) as DOMRect
    element.setPointerCapture = () => undefined
    element.dispatchEvent(new MouseEvent('pointermove', { clientX: 10 }))
    expect(acts.drag).not.toHaveBeenCalled()
    element.dispatchEvent(new MouseEvent('pointerdown', { clientX: 40 }))
    element.dispatchEvent(new MouseEvent('pointermove', { clientX: 30 }))
    await vi.advanceTimersByTimeAsync(0)
    expect(bar.attributes('aria-valuenow')).toBe('60')
    element.dispatchEvent(new MouseEvent('pointerup'))
    expect(acts.drag.mock.calls.map(([step]) => (step as { strength: number }).strength)).toEqual([0.8, 0.6])
    expect(acts.putStep).toHaveBeenCalledTimes(1)
    await bar.trigger('keydown', { key: 'ArrowLeft' })
    await bar.trigger('keydown', { key: 'ArrowRight' })
    expect(acts.putStep.mock.calls.slice(1).map(([, step]) => (step as { strength: number }).strength)).toEqual([0.95, 1])
  })

  it('has no half of a crop or a fence', () => {
    const made = list([view('crop', 'frame', 'Crop'), view('fence', 'clean', 'Fence'), view('heal', 'clean', 'Heal')])
    expect(made.findAll('[role=slider]').map((one) => one.attributes('aria-label'))).toEqual(['Heal strength'])
  })

  it('shows how far a slow repair is instead of its strength', () => {
    const made = list([view('regrow', 'clean', 'Regrow')], { regrow: 0.4 })
    expect(made.get('[role=progressbar]').attributes('aria-valuenow')).toBe('40')
    expect(made.find('[role=slider]').exists()).toBe(false)
  })

  it('opens the deck of a step, and not when it was dragged', async () => {
    const made = list([view('heal', 'clean', 'Heal'), view('merge', 'source', 'Merge series')])
    const [merge, heal] = made.findAll('.stub .name')
    await heal?.trigger('click')
    await merge?.trigger('click')
    expect(open.mock.calls).toEqual([['heal'], ['merge']])
  })

  it('removes steps, and goes back only where there is a way back', async () => {
    const made = list([view('heal', 'clean', 'Heal')])
    await made.get('.remove').trigger('click')
    expect(acts.remove).toHaveBeenCalledWith('heal')
    const [undo, redo] = made.findAll('.travel button')
    await undo?.trigger('click')
    expect(acts.travel.mock.calls).toEqual([['undo']])
    expect(redo?.attributes('disabled')).toBeDefined()
  })

  it('shows a run of like repairs as one, switches, weakens and removes all of it, and opens it', async () => {
    const dabs = [1, 2, 3, 4].map((number) => ({ ...view(`d${number}`, 'clean', 'Dab'), step: { ...view('dab', 'clean', 'Dab').step, id: `d${number}` } }))
    const made = list([view('heal', 'clean', 'Heal'), ...dabs])
    const names = () => made.findAll('.stub .name').map((one) => one.text())
    expect(names()).toEqual(['Heal', 'Dab × 4 ▸'])
    const [, dot] = made.findAll('[role=switch]')
    await dot?.trigger('click')
    await made.findAll('[role=slider]')[1]?.trigger('keydown', { key: 'ArrowLeft' })
    await made.findAll('.remove')[1]?.trigger('click')
    const changed = acts.change.mock.calls.map(([summary, changes]) => [summary, (changes as { step?: object }[]).map((one) => one.step)])
    const off = dabs.map(({ step }) => ({ ...step, enabled: false }))
    const weaker = dabs.map(({ step }) => ({ ...step, strength: 0.95 }))
    expect(changed).toEqual([['Dab × 4 off', off], ['Dab × 4 strength', weaker], ['Remove Dab × 4', Array(4).fill(undefined)]])
    await made.get('.run .name').trigger('click')
    expect(names()).toEqual(['Heal', 'Dab × 4 ▾', 'Dab', 'Dab', 'Dab', 'Dab'])
  })

  it('shows of a run that is not opened what is in hand or being made', () => {
    const dabs = [1, 2, 3].map((number) => ({ ...view(`d${number}`, 'clean', 'Regrow'), step: { ...view('regrow', 'clean', '').step, id: `d${number}` } }))
    const made = list(dabs, { d2: 0.3 })
    expect(made.findAll('.stub').map((one) => one.attributes('data-step'))).toEqual([undefined, 'd2'])
  })
})
