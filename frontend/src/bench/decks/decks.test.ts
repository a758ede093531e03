import { flushPromises, mount, type VueWrapper } from '@vue/test-utils'
import ColorPicker from 'primevue/colorpicker'
import InputNumber from 'primevue/inputnumber'
import { beforeEach, describe, expect, it, vi } from 'vitest'
import { nextTick, ref } from 'vue'

import Ruler from '../../parts/Ruler.vue'
import { answering, around, choose, within } from '../../testing'
import { hands, lastPut, step } from '../testing/hands'
import BalanceDeck from './BalanceDeck.vue'
import CleanDeck from './CleanDeck.vue'
import CleanRulers from './clean/CleanRulers.vue'
import CleanSide from './clean/CleanSide.vue'
import ColourEditor from './editors/ColourEditor.vue'
import { colourOf } from './editors/colours'
import CurveEditor from './editors/CurveEditor.vue'
import FrameDeck from './FrameDeck.vue'
import { bench } from '../testing/theBench'

vi.mock('../useBench', () => import('../testing/theBench'))

function open(steps = [] as ReturnType<typeof step>[], more: object = {}) {
  const made = within(() => hands(steps)).made
  Object.assign(bench, { areas: { alongable: false } }, made, { settled: ref(true) }, more)
  return made
}
const show = (component: object, props: object = {}) => mount(
  component as never, { props: props as never, global: around, attachTo: document.body },
) as VueWrapper
const rulers = (made: VueWrapper) => made.findAllComponents(Ruler).map((one) => one.props('ruler').name)
const settle = async (made: VueWrapper, name: string, value: number) => {
  made.findAllComponents(Ruler).find((one) => one.props('ruler').name === name)?.vm.$emit('settle', value)
  await nextTick()
}

beforeEach(() => {
  document.body.innerHTML = ''
  answering({})
})

describe('Balance', () => {
  it('is the groups that its operations declare, in the order of the decks, with the steps of each counted', () => {
    open([step('exposure'), step('contrast'), step('soften')])
    const made = show(BalanceDeck)
    const groups = made.findAll('[aria-label="Groups of rulers"] button').map((one) => one.text())
    expect(groups).toEqual(['Tone2', 'Hues', 'Scan1'])
    // what makes the starting picture comes after light where both are in one group
    expect(rulers(made)).toEqual(['exposure', 'contrast', 'red', 'take of all △'])
  })

  it('makes a step when its ruler first moves, with the others at rest', async () => {
    const { ledger } = open()
    const made = show(BalanceDeck)
    await settle(made, 'exposure', 1.5)
    expect(lastPut(ledger)).toMatchObject({ says: 'Exposure', put: { op: 'exposure', params: { ev: 1.5 } } })
    await settle(made, 'exposure', 2)
    expect(ledger.steps.filter((view) => view.step.op === 'exposure')).toHaveLength(1)
  })

  it('begins a step by a choice with what else that needs, and by its presence; both take it out again', async () => {
    const { ledger, tools } = open()
    tools.groups.balance = 'Scan'
    const made = show(BalanceDeck)
    const [mode] = made.findAll('[aria-labelledby="overlay_self-mode"] button')
    await mode?.trigger('click')
    expect(lastPut(ledger).put).toMatchObject({ op: 'overlay_self', params: { mode: 'multiply', opacity: 60 } })
    await mode?.trigger('click')
    expect(ledger.remove).toHaveBeenCalledWith('new overlay_self')
    const soften = made.findAll('button').find((one) => one.text() === 'soften grain')
    await soften?.trigger('click')
    expect(lastPut(ledger).put.op).toBe('soften')
  })

  it('takes a share of all that is proposed', async () => {
    const { ledger } = open()
    await settle(show(BalanceDeck), 'take of all △', 40)
    expect(ledger.takeProposals).toHaveBeenCalledWith(0.4)
  })
})

describe('the curve', () => {
  const editor = { kind: 'curve', param: 'all', name: 'curve', rulers: [], most: 16, items: ['all', 'red'], places: [], begins: {} }
  const CURVE = step('curve', { params: { all: [[0, 0], [0.5, 0.7], [1, 1]] } })
  const drawn = (values: number[]) => ({ drawn: { curve: { all: values, red: [0, 1] } } })

  it('runs where the server says', async () => {
    const { frames } = open([CURVE])
    frames.head = drawn([0, 0.7, 1])
    const made = show(CurveEditor, { op: 'curve', editor })
    expect(made.get('.line').attributes('d')).toBe('M0.0 108.0L160.0 32.4L320.0 0.0')
    await choose(made, 'Channel', 'red')
    expect(made.get('.line').attributes('d')).toBe('M0.0 108.0L320.0 0.0')
  })

  it('is anchored on itself in its widest gap, and straightened to nothing', async () => {
    const { ledger, frames } = open([CURVE])
    frames.head = drawn([0, 0.7, 1])
    const made = show(CurveEditor, { op: 'curve', editor })
    const [anchor, straight] = made.findAll('.row > .p-button')
    await anchor?.trigger('click')
    expect(lastPut(ledger).put.params?.all).toEqual([[0, 0], [0.25, 0.35], [0.5, 0.7], [1, 1]])
    await straight?.trigger('click')
    expect(lastPut(ledger).put.params?.all).toEqual([])
  })

  it('moves a point by keys, between its neighbours, and takes it out', async () => {
    const { ledger, frames } = open([CURVE])
    frames.head = drawn([0, 0.7, 1])
    const made = show(CurveEditor, { op: 'curve', editor })
    const point = made.findAll('.point')[1]
    await point?.trigger('keydown', { key: 'ArrowUp', shiftKey: true })
    expect((lastPut(ledger).put.params?.all as number[][])[1]).toEqual([0.5, 0.75])
    await point?.trigger('keydown', { key: 'Delete' })
    expect(lastPut(ledger).put.params?.all).toEqual([])
  })

  it('takes gestures faster than saving: each begins where the one before ended', async () => {
    const { ledger, frames } = open([])
    frames.head = drawn([0, 1])
    let answer = () => {}
    ledger.putStep = vi.fn(() => new Promise<never>((done) => (answer = done as () => void)))
    const made = show(CurveEditor, { op: 'curve', editor })
    await made.findAll('.row > .p-button')[0]?.trigger('click')
    expect(made.findAll('.point')).toHaveLength(3)
    for (let k = 0; k < 2; k += 1) await made.findAll('.point')[1]?.trigger('keydown', { key: 'ArrowUp', shiftKey: true })
    expect(lastPut(ledger).put.params?.all).toEqual([[0, 0], [0.5, 0.6], [1, 1]])
    // the answer is the ledger's, and is shown
    answer()
    await vi.waitFor(() => expect(made.findAll('.point')).toHaveLength(2))
  })
})

describe('a colour', () => {
  const editor = (rest: number[] | null) => ({
    kind: 'colour', param: 'colour', name: 'its colour', rulers: [], most: 0, items: [], places: [], begins: { width: 40 }, rest,
  })
  const shown = (rest: number[] | null) => show(ColourEditor, { op: 'border', editor: editor(rest) })
  const written = (made: VueWrapper) => made.find<HTMLInputElement>('input.number')

  it('is none until one is picked, where nothing is meant by that; else the one that is meant', () => {
    open()
    const none = shown(null)
    expect(written(none).element.value).toBe('')
    expect(none.findAll('[aria-label="Its colour"]')).toHaveLength(0)
    const white = shown([255, 255, 255])
    expect(written(white).element.value).toBe('255 255 255')
    expect(white.get('[aria-label="Its colour"] [aria-pressed="true"]').text()).toBe('white')
  })

  it('is seen while it is drawn to, and kept once, when it is let go of', async () => {
    const { ledger } = open()
    const made = shown(null)
    const picker = made.getComponent(ColorPicker)
    for (const r of [10, 20, 30]) picker.vm.$emit('change', { value: { r, g: 40, b: 50 } })
    await nextTick()
    expect(ledger.drag).toHaveBeenCalledTimes(3)
    expect(ledger.putStep).not.toHaveBeenCalled()
    // what the picker was told last it is not told back anew
    expect(picker.props('modelValue')).toEqual({ r: 30, g: 40, b: 50 })
    dispatchEvent(new Event('pointerup'))
    await flushPromises()
    dispatchEvent(new Event('pointerup'))
    expect(ledger.putStep).toHaveBeenCalledTimes(1)
    expect(lastPut(ledger)).toMatchObject({ says: 'Its colour', put: { op: 'border', params: { width: 40, colour: [30, 40, 50] } } })
  })

  it('is written by a hand, and stays where that is no colour', async () => {
    const { ledger } = open()
    const made = shown([255, 255, 255])
    await written(made).setValue('#E6502C')
    expect(lastPut(ledger).put.params?.colour).toEqual([230, 80, 44])
    await flushPromises()
    ledger.putStep.mockClear()
    written(made).element.value = 'sea green'
    await written(made).trigger('input')
    await written(made).trigger('change')
    expect(ledger.putStep).not.toHaveBeenCalled()
    expect(written(made).element.value).toBe('230 80 44')
  })

  it.each([
    ['230 80 44', [230, 80, 44]], ['230, 80,44', [230, 80, 44]], ['rgb(1 2 3)', [1, 2, 3]], ['e6502c', [230, 80, 44]], ['#fa0', [255, 170, 0]],
    ['255', null], ['256 0 0', null], ['1 2 3 4', null], ['#12345', null], ['', null],
  ])('%s is read as %s', (text, colour) => expect(colourOf(text)).toEqual(colour))
})

describe('Clean', () => {
  it('has repairs and limits apart, each by its name and key', () => {
    const { tools } = open()
    tools.station = 'clean'
    const made = show(CleanDeck)
    const row = (label: string) => made.findAll(`[aria-label="${label}"] button`).map((one) => one.text().replace(/\s+/g, ' '))
    expect(row('Method')).toEqual(['dab D', 'heal H', 'clone C', 'patch P', 'regrow Y', 'unthread U', 'relocate J', 'nudge I', 'specks'])
    expect(row('Limits')).toEqual(['guide', 'fence F'])
  })

  it('shows the rulers that a method’s tip has', async () => {
    const { tools } = open()
    tools.station = 'clean'
    await nextTick()
    const seen: Record<string, string[]> = {}
    for (const tool of ['heal', 'clone', 'patch', 'fence']) {
      tools.tool = tool
      await nextTick()
      seen[tool] = rulers(show(CleanRulers))
    }
    expect(seen).toEqual({
      heal: ['size', 'softness', 'strength'], clone: ['size', 'softness', 'flow', 'angle', 'strength', 'turn'], patch: ['feather', 'strength'], fence: [],
    })
  })

  it('changes the repair that is taken up, and the next begins with the same', async () => {
    const stroke = { points: [[1, 1, 1]], size: 30, hardness: 1, opacity: 1, flow: 1, spacing: 0.15, roundness: 1, angle: 0 }
    const { tools, ledger, clean } = open([step('heal', { mask: { kind: 'strokes', strokes: [stroke] } as never })])
    tools.station = 'clean'
    await nextTick()
    tools.tool = 'heal'
    tools.selected = 'heal'
    const made = show(CleanRulers)
    await settle(made, 'softness', 40)
    expect((lastPut(ledger).put.mask as { strokes: { hardness: number }[] }).strokes[0]?.hardness).toBe(0.6)
    expect(clean.brush.hardness).toBe(0.6)
    await settle(made, 'strength', 50)
    expect(lastPut(ledger).put.strength).toBe(0.5)
  })

  it('does not drag what takes seconds to make', async () => {
    const { tools, ledger } = open([step('regrow', { params: { reach: 0.75 } })])
    tools.station = 'clean'
    await nextTick()
    tools.selected = 'regrow'
    tools.tool = 'regrow'
    const made = show(CleanRulers)
    const reach = made.findAllComponents(Ruler).find((one) => one.props('ruler').name === 'reach')
    expect(reach?.props('value')).toBe(75)
    reach?.vm.$emit('drag', 200)
    expect(ledger.drag).not.toHaveBeenCalled()
    reach?.vm.$emit('settle', 200)
    expect(lastPut(ledger).put.params?.reach).toBe(2)
  })

  it('offers to give the place to another method, and what the method can switch', async () => {
    const { tools, ledger } = open([step('heal'), step('relocate')])
    tools.station = 'clean'
    await nextTick()
    tools.selected = 'heal'
    await choose(show(CleanSide), 'Taken up as', 'regrow')
    expect(lastPut(ledger).put.op).toBe('regrow')
    tools.selected = 'relocate'
    const made = show(CleanSide)
    await made.get('input[type=checkbox]').setValue(false)
    expect(lastPut(ledger).put).toMatchObject({ op: 'relocate', params: { match: false } })
  })
})

describe('Guides', () => {
  it('are what is found of edges that run into the place; where none is, that is said', async () => {
    const { tools, ledger } = open([step('regrow')])
    tools.station = 'clean'
    await nextTick()
    tools.selected = 'regrow'
    const lead = async () => {
      const made = show(CleanSide)
      await made.findAll('button').find((one) => one.text() === 'Lead edges through')?.trigger('click')
      await flushPromises()
    }
    const asked = answering({ 'GET /api/photos/p/steps/regrow/guides': { lines: [] } })
    await lead()
    expect(asked).toHaveLength(1)
    expect(ledger.change).not.toHaveBeenCalled()
    const line = [[1, 2], [30, 40]]
    answering({ 'GET /api/photos/p/steps/regrow/guides': { lines: [line] } })
    await lead()
    expect(ledger.change).toHaveBeenCalledWith('Guides', [{ kind: 'put', step: expect.objectContaining({ op: 'guide', params: { points: line } }) }])
    expect(tools.selected).toBe('regrow')
  })
})

describe('Frame', () => {
  const head = { crop: [100, 50, 800, 600], room: [0, 0, 1000, 700], turned: [1000, 700], angle: 0, prints: [], size: [800, 600], drawn: {} }

  it('crops to the largest of a ratio, about the middle of the present one', async () => {
    const { ledger, frames } = open()
    frames.head = head
    const made = show(FrameDeck)
    await choose(made, 'Ratio', '3:2')
    expect(lastPut(ledger)).toMatchObject({ says: 'Crop 3:2', put: { op: 'crop', params: { width: 999, height: 666, ratio: '3:2' } } })
  })

  it('turns the crop along, and takes the turn out when it has come round', async () => {
    const { ledger, frames } = open([
      step('turn', { params: { quarters: 3, mirror: false } }),
      step('crop', { params: { left: 10, top: 20, width: 300, height: 200, ratio: '3:2' } }),
    ])
    frames.head = head
    const made = show(FrameDeck)
    await made.findAll('button').find((one) => one.text() === '90° ↷')?.trigger('click')
    const [, changes] = ledger.change.mock.calls[0] as unknown as [string, { kind: string; id?: string; step?: { params: object } }[]]
    expect(changes[0]).toEqual({ kind: 'remove', id: 'turn' })
    expect(changes[1]?.step?.params).toEqual({ left: 480, top: 10, width: 200, height: 300, ratio: '2:3' })
  })

  it('says what told the ratio of what was squared up, and takes the one that a person knows', async () => {
    const corners = [[0, 0], [90, 0], [90, 60], [0, 60]]
    const { ledger, frames } = open([step('corners', { params: { corners, ratio: 1.42, told_by: 'assumed lens', off: 0.061 } })])
    frames.head = head
    const made = show(FrameDeck)
    expect(made.text()).toContain('if the lens is a usual one, ± 6.1 %')
    const field = made.findAllComponents(InputNumber).find((one) => one.props('maxFractionDigits') === 4)
    field?.vm.$emit('update:modelValue', 1.5)
    await flushPromises()
    expect(lastPut(ledger)).toEqual({ says: 'Ratio', put: step('corners', { params: { corners, ratio: 1.5 } }) })
  })

  it('offers the angle that was found, unless the picture was squared up', async () => {
    const { ledger, frames } = open()
    frames.head = head
    ledger.proposals = { straighten: { angle: -1.2 } }
    const angle = (made: VueWrapper) => made.findAllComponents(Ruler).find((one) => one.props('ruler').param === 'angle')?.props('proposal')
    expect(angle(show(FrameDeck))).toBe(-1.2)
    ledger.steps = [{ step: step('corners'), title: 'Square up', station: 'frame' }]
    expect(angle(show(FrameDeck))).toBeUndefined()
  })
})
