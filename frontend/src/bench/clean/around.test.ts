import { beforeEach, describe, expect, it, vi } from 'vitest'
import { nextTick } from 'vue'

import type { Step } from '../../api/client'
import { answering, held, within } from '../../testing'
import { hands, lastPut, step } from '../testing/hands'

vi.mock('../useBench', () => import('../testing/theBench'))

const open = (steps: Step[] = []) => within(() => hands(steps)).made
const faces = (places: object[]) => step('faces', { id: 'f', params: { places } })

beforeEach(() => answering({}))

describe('faces and mirrors', () => {
  it('are decided about one by one, and the next that is open comes into view', async () => {
    const made = open([faces([{ x: 1, y: 2, size: 9 }, { x: 3, y: 4, size: 9, hidden: false }, { x: 5, y: 6, size: 9 }])])
    made.tools.station = 'clean'
    await nextTick()
    made.tools.tool = 'faces'
    await nextTick()
    expect(made.places.open).toBe(2)
    await made.places.decide(true)
    expect(lastPut(made.ledger).put.params?.places).toMatchObject([{ hidden: true }, { hidden: false }, { x: 5 }])
    expect(made.places.at).toBe(2)
    expect(made.view.centreSource).toHaveBeenCalledWith([5, 6])
  })

  it('are added where one clicks: a face as large as the tip and hidden, a mirror to be looked at', async () => {
    const made = open()
    made.tools.station = 'clean'
    await nextTick()
    made.tools.tool = 'faces'
    await nextTick()
    await made.places.add([70.04, 80])
    expect(lastPut(made.ledger).put).toMatchObject({ op: 'faces', params: { places: [{ x: 70, y: 80, size: 40, hidden: true }] } })
    made.tools.tool = 'mirrors'
    await nextTick()
    await made.places.add([1, 2])
    expect(lastPut(made.ledger).put).toMatchObject({ op: 'mirrors', params: { places: [{ x: 1, y: 2, looked: false }] } })
  })

  it('that are found are laid beside those that are listed, once', async () => {
    answering({ 'GET /api/photos/p/around/faces': { places: [{ x: 12, y: 10, size: 20 }, { x: 300, y: 10, size: 20 }] } })
    const made = open([faces([{ x: 10, y: 10, size: 30, hidden: true }])])
    made.tools.station = 'clean'
    await nextTick()
    made.tools.tool = 'faces'
    await nextTick()
    await made.places.find()
    expect(lastPut(made.ledger).put.params?.places).toMatchObject([{ x: 10, hidden: true }, { x: 300 }])
    answering({ 'GET /api/photos/p/around/plates': { places: [{ x: 600, y: 10, size: 20, wide: 4.5, turn: -3 }] } })
    await made.places.find('plates')
    expect(lastPut(made.ledger).put.params?.places).toMatchObject([{ x: 10 }, { x: 300 }, { x: 600, wide: 4.5, turn: -3 }])
    expect(made.places.searching).toBeNull()
    await made.places.reshape({ wide: 5, turn: 2 })
    expect((lastPut(made.ledger).put.params?.places as object[])[made.places.at]).toMatchObject({ wide: 5, turn: 2 })
  })

  it('are no longer looked for once that is stopped, and nothing is listed', async () => {
    const answer = held<object>()
    answering({ 'GET /api/photos/p/around/plates': () => answer.promise })
    const made = open([faces([{ x: 10, y: 10, size: 30, hidden: true }])])
    made.tools.station = 'clean'
    await nextTick()
    made.tools.tool = 'faces'
    await nextTick()
    const looking = made.places.find('plates')
    expect(made.places.searching).toBe('plates')
    made.places.stop()
    answer.give({ places: [{ x: 600, y: 10, size: 20 }] })
    await looking
    expect(made.places.searching).toBeNull()
    expect(made.ledger.putStep).not.toHaveBeenCalled()
  })
})

describe('planes', () => {
  it('are set by four corners, and the next repairs work in them', async () => {
    const made = open()
    made.view.stage = { width: 1000, height: 500 }
    made.tools.station = 'clean'
    await nextTick()
    made.tools.tool = 'plane'
    await nextTick()
    expect(made.planes.corners).toHaveLength(4)
    made.planes.drag(0, [100, 120])
    await made.planes.save()
    const { put } = lastPut(made.ledger)
    expect(put).toMatchObject({ op: 'plane', params: { name: 'Plane 1' } })
    expect((put.params?.corners as number[][])[0]).toEqual([100, 120])
    expect(made.tools.tool).toBe('regrow')
    made.ledger.steps = [{ step: put, title: 'Plane 1', station: 'clean' }]
    made.planes.inHand = put.id ?? null
    await made.clean.put('heal', { kind: 'strokes', strokes: [] as never }, {})
    expect(lastPut(made.ledger).put.chart).toBeUndefined()
    const decks = made.decks.all
    if (decks?.operations.heal) decks.operations.heal.charted = true
    await made.clean.put('heal', { kind: 'strokes', strokes: [] as never }, {})
    expect(lastPut(made.ledger).put.chart).toEqual({ kind: 'plane', step: put.id })
  })

  it('hold the tip, and keep a clone’s offset along them', async () => {
    const made = open()
    made.tools.station = 'clean'
    await nextTick()
    made.tools.tool = 'clone'
    if (made.decks.all?.operations.clone) made.decks.all.operations.clone.charted = true
    made.ledger.steps = [{ step: step('plane', { id: 'floor', params: { corners: [] } }), title: 'Plane 1', station: 'clean' }]
    // a floor under an eye: (across, ahead) to (500 + 1000 across / ahead, 1000 / ahead)
    made.shapes.value = { floor: [1000, 500, 0, 0, 0, 1000, 0, 1, 0] }
    made.planes.inHand = 'floor'
    await nextTick()
    const at = (across: number, ahead: number): [number, number] => [500 + (1000 * across) / ahead, 1000 / ahead]
    made.clean.cloning.source = at(1, 4)
    await made.clean.put('clone', made.clean.painted([made.clean.stroke([[...at(0, 4), 1]])]), made.clean.paramsFor('clone', at(0, 4)))
    const { mask, params } = lastPut(made.ledger).put
    expect(mask).toMatchObject({ kind: 'strokes', round_in: 'plane' })
    expect(params).toMatchObject({ source: { dx: 250, dy: 0 } })
    // the same way along the floor is half as long on the photo, twice as far off
    const [dx, dy] = made.clean.cloneOffset(at(0, 8)) as [number, number]
    expect(dx).toBeCloseTo(125)
    expect(dy).toBeCloseTo(0)
    made.planes.inHand = null
    await nextTick()
    expect(made.clean.cloneOffset(at(0, 8))).toEqual([250, 125])
    expect(made.clean.painted([])).toEqual({ kind: 'strokes', strokes: [], view: undefined })
  })
})

describe('a mirror', () => {
  it('is looked at beside what it should show, where the panorama tells it', async () => {
    answering({ 'GET /api/photos/p/around/mirror': { heading: 12.5, pitch: -1, told: false, line: [[10, 20], [10, 30]] } })
    const made = open([step('mirrors', { params: { places: [{ x: 5, y: 6, looked: false }] } })])
    made.view.around.sphere = [400, 200, 0, 0]
    made.tools.station = 'clean'
    await nextTick()
    made.tools.tool = 'mirrors'
    await vi.waitFor(() => expect(made.places.glass).not.toBeNull())
    expect(made.places.glass).toEqual({
      line: [[10, 20], [10, 30]], told: false, sees: '/api/photos/p/around/mirrored?x=5&y=6&heading=12.5&pitch=-1',
    })
    made.tools.tool = 'faces'
    await nextTick()
    expect(made.places.glass).toBeNull()
  })
})
