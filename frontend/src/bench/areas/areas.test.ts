import { mount } from '@vue/test-utils'
import { beforeEach, describe, expect, it, vi } from 'vitest'
import { computed, nextTick, ref } from 'vue'

import type { Step } from '../../api/client'
import Ruler from '../../parts/Ruler.vue'
import { answering, around, problem, within } from '../../testing'
import AreasDeck from '../decks/AreasDeck.vue'
import CastEditor from '../decks/editors/CastEditor.vue'
import PlacesEditor from '../decks/editors/PlacesEditor.vue'
import type { LedgerRoom } from '../rooms/useLedger'
import { hands, lastPut, step } from '../testing/hands'
import CastOverlay from '../picture/overlays/CastOverlay.vue'
import type { Point } from '../picture/geometry'
import AreaSteps from './AreaSteps.vue'
import { fallenTo, midOf, tipOf, type Cast } from './cast'
import { joinWord, partsOf, wordOf, type Part } from './covers'
import { scopedTo } from './scoped'
import { useAreas } from './useAreas'
import { bench } from '../testing/theBench'

vi.mock('../useBench', () => import('../testing/theBench'))

const part = (shape: object, more: object = {}) => ({ enabled: true, mode: 'add', invert: false, feather: 0, shape, ...more }) as Part
const sayError = vi.fn()
const ROUND = { kind: 'round', middle: [50, 50], radii: [20, 10] }
const TONES = { kind: 'tones', low: 60, high: 90 }
const area = (parts: Part[], steps: Step[] = [], more: object = {}) => step('area', { params: { cover: { parts, ...more }, steps } })

function open(steps: Step[] = [], taken: string | null = null) {
  const { made } = within(() => {
    const all = hands(steps)
    const { decks, tools, clean, view } = all
    return { ...all, areas: useAreas({ decks, ledger: all.ledger as unknown as LedgerRoom, tools, clean, view, sayError }) }
  })
  made.tools.station = 'areas'
  made.tools.selected = taken
  return made
}
const put = (made: ReturnType<typeof open>) => lastPut(made.ledger).put
const partsPut = (made: ReturnType<typeof open>) => partsOf(put(made))

beforeEach(() => {
  answering({})
  sayError.mockClear()
})

describe('the sentence of a cover', () => {
  it('is made of words with the numbers that they are known by', () => {
    expect(wordOf(part({ kind: 'subject' }))).toBe('subject')
    expect(wordOf(part({ kind: 'subject', take: 2 }))).toBe('subject, take 3')
    expect(wordOf(part(TONES, { feather: 12.4 }))).toBe('tones 60–90 %, softened 12 px')
    expect(wordOf(part({ kind: 'sky' }, { invert: true }))).toBe('not sky')
  })
  it('joins them, but for the first', () => {
    expect(['add', 'subtract', 'intersect'].map((mode) => joinWord(mode as 'add', false))).toEqual(['and', 'without', 'only in'])
    expect(joinWord('add', true)).toBe('')
    expect(joinWord('subtract', true)).toBe('all without')
  })
})

describe('an area', () => {
  it('is begun by its first part, and taken up', async () => {
    const made = open()
    await nextTick()
    await made.areas.add({ kind: 'subject', led: [], take: 0 })
    expect(put(made)).toMatchObject({ op: 'area', params: { cover: { parts: [{ mode: 'add', shape: { kind: 'subject' } }] }, steps: [] } })
    expect(made.tools.selected).toBe(put(made).id)
    expect(made.areas.look).toMatchObject({ way: 'hatch' })
    made.areas.shown = false
    expect(made.areas.look).toBeNull()
  })

  it('gets further parts by the join that is set; a gradient is taken up and its tool laid down', async () => {
    const made = open([area([part({ kind: 'subject' })])], 'area')
    await nextTick()
    made.areas.join = 'subtract'
    made.tools.tool = 'round'
    await made.areas.add(ROUND as never)
    expect(partsPut(made).map((one) => one.mode)).toEqual(['add', 'subtract'])
    expect([made.areas.taken, made.tools.tool]).toEqual([1, 'look'])
  })

  it('is led by strokes in and out, each one more', async () => {
    const made = open([area([part({ kind: 'subject', led: [] })])], 'area')
    await nextTick()
    made.tools.tool = 'lead'
    await made.areas.paint([[10, 10, 1], [20, 10, 1]], false)
    await made.areas.paint([[40, 40, 1]], true)
    const [{ shape }] = partsPut(made) as [Part]
    expect((shape as { led: { inside: boolean }[] }).led.map((one) => one.inside)).toEqual([true, false])
  })

  it('takes strokes into the same part, and what is erased into one that is without', async () => {
    const made = open()
    made.tools.tool = 'brush'
    made.clean.brush.flow = 0.1
    for (const erase of [false, false, true, true]) await made.areas.paint([[10, 10, 1]], erase)
    const painted = partsPut(made)
    expect(painted.map((one) => [one.mode, (one.shape as { strokes: unknown[] }).strokes.length])).toEqual([['add', 2], ['subtract', 2]])
    expect((painted[0]?.shape as { strokes: { flow: number }[] }).strokes[0]?.flow).toBe(0.1)
  })

  it('changes how parts join, their order and their presence', async () => {
    const made = open([area([part({ kind: 'subject' }), part(TONES)])], 'area')
    await nextTick()
    await made.areas.turn(1)
    expect(partsPut(made)[1]?.mode).toBe('subtract')
    await made.areas.move(1, 0)
    expect(partsPut(made).map((one) => one.shape.kind)).toEqual(['tones', 'subject'])
    await made.areas.remove(0)
    expect(partsPut(made).map((one) => one.shape.kind)).toEqual(['subject'])
  })

  it('is inverted by its one part, or by the laws of sets', async () => {
    const one = open([area([part({ kind: 'sky' })])], 'area')
    await nextTick()
    await one.areas.invert()
    expect(partsPut(one)[0]?.invert).toBe(true)
    const made = open([area([part({ kind: 'subject' }), part(ROUND, { mode: 'subtract' }), part(TONES, { mode: 'intersect' })])], 'area')
    await nextTick()
    await made.areas.invert()
    // not ((s minus r) and t) is: all without s, and r, and not t
    expect(partsPut(made).map((each) => [each.mode, each.invert])).toEqual([['subtract', false], ['add', false], ['add', true]])
  })

  it('has a fine edge within a band, or none', async () => {
    const made = open([area([part({ kind: 'subject' })])], 'area')
    await nextTick()
    await made.areas.refine(24)
    expect(put(made).params).toMatchObject({ cover: { fine: { band: 24 } } })
    await made.areas.refine(null)
    expect(put(made).params).toMatchObject({ cover: { fine: null } })
  })

  it('gives its cover to another', async () => {
    const made = open([area([part({ kind: 'sky' })], [step('exposure')])], 'area')
    await nextTick()
    made.areas.copied = made.areas.cover
    made.tools.selected = null
    await nextTick()
    await made.areas.layIn()
    expect(put(made).id).not.toBe('area')
    expect(put(made).params).toMatchObject({ cover: { parts: [{ shape: { kind: 'sky' } }] }, steps: [] })
  })

  it('lends its cover to the method in hand: a place with its holes, or fences', async () => {
    const loops = [[[0, 0], [90, 0], [90, 60]], [[20, 10], [40, 10], [40, 30]]]
    const asked = answering({ 'POST /api/photos/p/cover/outlines': () => ({ loops }) })
    const made = open([area([part({ kind: 'subject' })])], 'area')
    await nextTick()
    made.tools.tool = 'heal'
    expect(made.areas.alongable).toBe(false)
    made.areas.copied = made.areas.cover
    expect(made.areas.alongable).toBe(true)
    await made.areas.along()
    expect(asked[0]?.body).toMatchObject({ parts: [{ shape: { kind: 'subject' } }] })
    expect(put(made)).toMatchObject({ op: 'heal', mask: { kind: 'outline', points: loops[0], others: [loops[1]] } })
    made.tools.tool = 'fence'
    await made.areas.along()
    const [, fences] = made.ledger.change.mock.calls.at(-1) as unknown as [string, { step: Step }[]]
    expect(fences.map((one) => (one.step.params?.points as unknown[]).length)).toEqual([4, 4])
    made.tools.tool = 'nudge'
    expect(made.areas.alongable).toBe(false)
  })

  it('leaves everything as it was where a cover has no edge', async () => {
    answering({ 'POST /api/photos/p/cover/outlines': () => problem(422, 'The cover has no edge to go along.') })
    const made = open([area([])], 'area')
    await nextTick()
    made.tools.tool = 'heal'
    made.areas.copied = made.areas.cover
    await made.areas.along()
    expect(sayError).toHaveBeenCalled()
    expect(made.ledger.putStep).not.toHaveBeenCalled()
  })

  it('picks colours of the photo as it is before light, as many as are meant', async () => {
    answering({ 'GET /api/photos/p/colour': () => ({ colour: [10, 20, 30] }) })
    const made = open()
    await made.areas.pick([5, 6])
    await nextTick()
    made.areas.taken = 0
    await made.areas.pick([7, 8])
    expect(partsPut(made)[0]?.shape).toMatchObject({ kind: 'colours', picks: [[10, 20, 30], [10, 20, 30]] })
  })

  it('says when a colour cannot be told, and picks none', async () => {
    answering({ 'GET /api/photos/p/colour': () => problem(404, 'There is no such photo.') })
    const made = open()
    await made.areas.pick([5, 6])
    expect(sayError).toHaveBeenCalledTimes(1)
    expect(made.ledger.putStep).not.toHaveBeenCalled()
  })

  it('begins as it usually does: a tool, a flow, and steps that wait for their place', async () => {
    const made = open()
    await nextTick()
    const [lift] = made.decks.all?.starts ?? []
    if (lift) await made.areas.start(lift)
    expect([made.tools.tool, made.clean.brush.flow]).toEqual(['brush', 0.1])
    expect(made.ledger.putStep).not.toHaveBeenCalled()
    await made.areas.paint([[1, 1, 1]], false)
    expect(put(made).params).toMatchObject({ steps: [{ op: 'exposure', params: { ev: 0.8 } }] })
  })
})

describe('a shade', () => {
  it('has a cover like an area’s, and rulers of its own in place of steps', async () => {
    const made = open()
    await nextTick()
    await made.areas.start({ name: 'shade', says: '', tool: 'outline', flow: 1, op: 'shade', steps: [] })
    await made.areas.close([[0, 0], [9, 0], [9, 9]])
    expect(put(made)).toMatchObject({ op: 'shade', params: { cover: { parts: [{ shape: { kind: 'outline' } }] } } })
    expect(put(made).params).not.toHaveProperty('steps')
    const scoped = scopedTo(computed(() => made.areas.area), made.ledger as unknown as LedgerRoom, made.decks)
    await scoped.putStep('Soft', scoped.stepFor('shade', { soft_density: 40 }))
    expect(put(made)).toMatchObject({ op: 'shade', params: { soft_density: 40, cover: { parts: [{}] } } })
  })
})

describe('the ledger inside an area', () => {
  it('puts, finds and removes the area’s own steps, in the order in which they work', async () => {
    const held = area([part({ kind: 'subject' })], [step('contrast')])
    const made = open([held, step('exposure')], 'area')
    const scoped = scopedTo(computed(() => made.ledger.byId('area')), made.ledger as unknown as LedgerRoom, made.decks)
    expect(scoped.stepOf('exposure')).toBeNull()
    await scoped.putStep('Exposure', scoped.stepFor('exposure', { ev: 1 }))
    expect((put(made).params?.steps as Step[]).map((one) => one.op)).toEqual(['exposure', 'contrast'])
    scoped.drag({ ...step('contrast'), strength: 0.5 })
    expect((made.ledger.draft?.params?.steps as Step[]).at(-1)?.strength).toBe(0.5)
    await scoped.remove('contrast')
    expect((put(made).params?.steps as Step[]).map((one) => one.op)).toEqual(['exposure'])
    // what is not its own business is the ledger's
    expect(scoped.photo).toBe('p')
  })
})

describe('the steps under an area’s stub', () => {
  it('are switched, weakened by a drag that is shown before it is kept, and taken out', async () => {
    const held = area([part({ kind: 'subject' })], [step('exposure'), step('contrast')])
    const made = open([held], 'area')
    Object.assign(bench, made)
    const shown = mount(AreaSteps, { props: { area: held }, global: around, attachTo: document.body })
    const bar = shown.get('[aria-label="Contrast strength in the area"]')
    Object.assign(bar.element, { setPointerCapture: vi.fn(), getBoundingClientRect: () => ({ left: 0, width: 100 }) })
    const at = (kind: string, clientX: number) => bar.element.dispatchEvent(new MouseEvent(kind, { clientX }))
    at('pointermove', 20)
    expect(made.ledger.drag).not.toHaveBeenCalled()
    at('pointerdown', 80)
    at('pointermove', 40)
    const dragged = made.ledger.draft?.params?.steps as Step[]
    expect(dragged.map((one) => one.strength)).toEqual([1, 0.4])
    expect(made.ledger.putStep).not.toHaveBeenCalled()
    await bar.trigger('pointerup')
    expect((put(made).params?.steps as Step[]).map((one) => one.strength)).toEqual([1, 0.4])
    await shown.get('[aria-label="Exposure on"]').trigger('click')
    expect((put(made).params?.steps as Step[]).map((one) => one.enabled)).toEqual([false, true])
    await shown.get('[aria-label="Remove Exposure from the area"]').trigger('click')
    expect((put(made).params?.steps as Step[]).map((one) => one.op)).toEqual(['contrast'])
  })
})

describe('places that are asked for in the picture', () => {
  const editor = (kind: string, items: string[] = []) => ({ kind, param: kind, name: kind, rulers: [], most: 0, items, places: [], begins: {} }) as never
  async function editing(component: object, props: object) {
    const made = open([step('cast_out', { params: { amount: 12, tinted: { x: 1, y: 1, size: 9 } } })])
    await nextTick()
    Object.assign(bench, made)
    return { made, shown: mount(component as never, { props: props as never, global: around }) }
  }

  it('are asked once, given by a click, and measured anew', async () => {
    const { made, shown } = await editing(PlacesEditor, { op: 'cast_out', editor: editor('places', ['tinted', 'clean']) })
    const clean = shown.findAll('button')[1]
    await clean?.trigger('click')
    expect(made.tools.place?.item).toBe('clean')
    await clean?.trigger('click')
    expect(made.tools.place).toBeNull()
    await clean?.trigger('click')
    made.tools.place?.take({ x: 7, y: 8, size: 5 })
    // what was measured from other places is not said any more
    expect(put(made).params).toEqual({ amount: undefined, tinted: { x: 1, y: 1, size: 9 }, clean: { x: 7, y: 8, size: 5 } })
    shown.unmount()
    expect(made.tools.place).toBeNull()
  })

  it('say where a thing stands that casts a shadow', async () => {
    const { made, shown } = await editing(CastEditor, { op: 'cast_out', editor: editor('cast') })
    await shown.get('button').trigger('click')
    made.tools.place?.take({ x: 3, y: 44, size: 5 })
    expect(put(made).params).toMatchObject({ cast: { ground: [[-97, 44], [103, 44]] } })
  })
})

describe('a dial for a shadow', () => {
  const cast = { ground: [[0, 100], [200, 100]] as [Point, Point], angle: 30, length: 0.5 }

  it('points along the shadow, and is read back from where its tip is let go', () => {
    expect(midOf(cast)).toEqual([100, 100])
    const [x, y] = tipOf(cast)
    expect([x, y]).toEqual([expect.closeTo(100 + 86.6, 1), expect.closeTo(150, 1)])
    expect(fallenTo(cast, [x, y])).toEqual({ angle: 30, length: 0.5 })
    expect(fallenTo(cast, [100, 5000]).length).toBe(5)
  })

  it('has handles that move the ground line and turn the fall, and none without a cast', async () => {
    const made = open([step('shade', { params: { cover: { parts: [] }, cast } })], 'shade')
    await nextTick()
    Object.assign(bench, made)
    const shown = mount(CastOverlay, { global: around })
    expect(shown.findAll('[role=button]')).toHaveLength(3)
    await shown.get('[aria-label="The ground line, right"]').trigger('keydown', { key: 'ArrowDown', shiftKey: true })
    expect((put(made).params?.cast as Cast).ground).toEqual([[0, 100], [200, 110]])
    await shown.get('[aria-label="Where the shadow falls"]').trigger('keydown', { key: 'ArrowRight', shiftKey: true })
    expect((put(made).params?.cast as Cast).length).toBeGreaterThan(0.5)
    made.tools.selected = null
    await nextTick()
    expect(shown.findAll('[role=button]')).toHaveLength(0)
  })
})

describe('the deck', () => {
  function deck(made: ReturnType<typeof open>) {
    Object.assign(bench, made, { settled: ref(true) })
    return mount(AreasDeck, { global: around, attachTo: document.body })
  }
  const label = (text: string) => (one: { text: () => string }) => one.text() === text

  it('says how to begin, and begins with one click', async () => {
    const made = open()
    await nextTick()
    const shown = deck(made)
    expect(shown.text()).toContain('Begin one by what it covers')
    await shown.findAll('button').find(label('subject'))?.trigger('click')
    await nextTick()
    expect(made.tools.tool).toBe('lead')
    expect(shown.get('[aria-label="Where it counts"]').text()).toContain('subject')
  })

  it('goes through the takes of a subject and begins again, but not within an outline', async () => {
    const again = label('another take')
    for (const [take, next] of [[undefined, 1], [1, 2], [3, 0]]) {
      const made = open([area([part({ kind: 'subject', take, led: [] })])], 'area')
      await nextTick()
      const shown = deck(made)
      await shown.findAll('.word').at(0)?.trigger('click')
      await shown.findAll('button').find(again)?.trigger('click')
      expect(partsPut(made)[0]?.shape).toMatchObject({ kind: 'subject', take: next, led: [] })
    }
    const around: [number, number][] = [[1, 1], [9, 1], [9, 9]]
    const made = open([area([part({ kind: 'subject', around })])], 'area')
    await nextTick()
    const shown = deck(made)
    await shown.findAll('.word').at(0)?.trigger('click')
    expect(shown.findAll('button').some(again)).toBe(false)
  })

  it('sets light inside the area, and what is set of the part that is taken up', async () => {
    const made = open([area([part(TONES)])], 'area')
    await nextTick()
    const shown = deck(made)
    shown.findAllComponents(Ruler).find((one) => one.props('ruler').name === 'exposure')?.vm.$emit('settle', 1)
    await nextTick()
    expect(put(made)).toMatchObject({ op: 'area', params: { steps: [{ op: 'exposure', params: { ev: 1 } }] } })
    await shown.findAll('.word').at(0)?.trigger('click')
    const rulers = shown.findAllComponents(Ruler).map((one) => one.props('ruler').name)
    expect(rulers).toEqual(expect.arrayContaining(['low', 'high', 'soft', 'softened']))
    // the ends of a range stay in order
    shown.findAllComponents(Ruler).find((one) => one.props('ruler').name === 'low')?.vm.$emit('settle', 95)
    await nextTick()
    expect(partsPut(made)[0]?.shape).toMatchObject({ low: 95, high: 95 })
  })
})
