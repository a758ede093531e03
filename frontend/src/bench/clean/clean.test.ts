import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { nextTick } from 'vue'

import { answering, problem, within } from '../../testing'
import { hands, lastPut, step } from '../testing/hands'
import { movedBy, outlineOf, pathOf, shapeOf, simplified } from './shapes'

const made = async (tool: string, steps = [] as ReturnType<typeof step>[]) => {
  const all = within(() => hands(steps)).made
  all.tools.station = 'clean'
  await nextTick()
  all.tools.tool = tool
  await nextTick()
  return all
}
type Hands = Awaited<ReturnType<typeof made>>

/** A hand on the picture: pressed, moved along, lifted. */
async function draw({ painting }: Hands, points: [number, number][], more: Partial<PointerEvent> = {}) {
  const on = { getBoundingClientRect: () => ({ left: 0, top: 0 }), setPointerCapture: () => undefined }
  const event = ([clientX, clientY]: [number, number]) =>
    ({ button: 0, pointerId: 1, pointerType: 'mouse', pressure: 0.5, shiftKey: false, clientX, clientY, currentTarget: on, ...more }) as unknown as PointerEvent
  const [first, ...rest] = points
  if (first) painting.start(event(first))
  for (const point of rest) painting.move(event(point))
  await painting.end()
}

beforeEach(() => void answering({}))
afterEach(() => void vi.unstubAllGlobals())

describe('painting', () => {
  it('makes a repair of a stroke, with the tip as it is set', async () => {
    const all = await made('heal')
    all.clean.setTip('size', 40)
    all.clean.setTip('hardness', 0.2)
    await draw(all, [[10, 10], [11, 10], [60, 10]])
    const { put } = lastPut(all.ledger)
    expect(put).toMatchObject({ op: 'heal', strength: 1, mask: { kind: 'strokes' } })
    const mask = put.mask as { strokes: { points: number[][]; size: number; hardness: number; flow: number }[] }
    // what lies nearer than a twelfth of the tip is left out
    expect(mask.strokes[0]).toMatchObject({ points: [[10, 10, 1], [60, 10, 1]], size: 40, hardness: 0.2, flow: 1 })
    expect(all.tools.selected).toBe(put.id)
  })

  it('makes it above the pieces where that is asked', async () => {
    const all = await made('heal')
    await draw(all, [[10, 10], [60, 10]])
    expect(lastPut(all.ledger).put.above).toBeUndefined()
    all.clean.above = true
    await draw(all, [[10, 40], [60, 40]])
    expect(lastPut(all.ledger).put.above).toBe(true)
  })

  it('takes a pen’s pressure, and gives a method only the tip it has rulers for', async () => {
    const all = await made('clone')
    all.clean.setTip('flow', 0.5)
    all.clean.setTip('roundness', 0.3)
    await draw(all, [[10, 10]], { pointerType: 'pen', pressure: 0.25 })
    const mask = lastPut(all.ledger).put.mask as { strokes: { points: number[][]; flow: number; roundness: number }[] }
    expect(mask.strokes[0]).toMatchObject({ points: [[10, 10, 0.25]], flow: 0.5, roundness: 1 })
  })

  it('goes straight on from the last stroke with Shift', async () => {
    const all = await made('heal')
    await draw(all, [[10, 10], [50, 10]])
    await draw(all, [[200, 200]], { shiftKey: true })
    const mask = lastPut(all.ledger).put.mask as { strokes: { points: number[][] }[] }
    expect(mask.strokes[0]?.points).toEqual([[50, 10, 1], [200, 200, 1]])
  })

  it('draws an outline around in one go, or corner by corner until it is ended', async () => {
    const all = await made('patch')
    await draw(all, [[0, 0], [50, 0], [100, 0], [100, 50], [100, 100], [50, 100], [0, 100], [0, 50]])
    expect((lastPut(all.ledger).put.mask as { points: number[][] }).points.length).toBeGreaterThanOrEqual(4)
    all.ledger.putStep.mockClear()
    for (const corner of [[0, 0], [90, 0], [90, 90]] as [number, number][]) await draw(all, [corner])
    expect(all.ledger.putStep).not.toHaveBeenCalled()
    expect(all.painting.clicks).toHaveLength(3)
    await all.painting.finish()
    expect(lastPut(all.ledger).put.mask).toEqual({ kind: 'outline', points: [[0, 0], [90, 0], [90, 90]], feather: 4 })
    expect(all.painting.clicks).toEqual([])
  })

  it('makes a limit of a line, and a mask of one where the method needs a place', async () => {
    const fence = await made('fence')
    for (const point of [[0, 0], [90, 5]] as [number, number][]) await draw(fence, [point])
    await fence.painting.finish()
    expect(lastPut(fence.ledger).put).toMatchObject({ op: 'fence', params: { points: [[0, 0], [90, 5]], snap: 12 } })
    const guide = await made('guide')
    for (const point of [[0, 0], [90, 5]] as [number, number][]) await draw(guide, [point])
    await guide.painting.finish()
    expect(lastPut(guide.ledger).put.params).toEqual({ points: [[0, 0], [90, 5]] })
    const wire = await made('unthread')
    for (const point of [[0, 0], [90, 5]] as [number, number][]) await draw(wire, [point])
    await wire.painting.finish()
    expect(lastPut(wire.ledger).put.mask).toMatchObject({ kind: 'strokes', strokes: [{ size: 20, hardness: 1 }] })
  })

  it('lets go of what is begun', async () => {
    const all = await made('patch')
    await draw(all, [[0, 0]])
    all.painting.cancel()
    await all.painting.finish()
    expect(all.ledger.putStep).not.toHaveBeenCalled()
  })

  it('needs a way to push along', async () => {
    const all = await made('nudge')
    await draw(all, [[5, 5]])
    expect(all.ledger.putStep).not.toHaveBeenCalled()
  })

  it('gathers several places into one step', async () => {
    const all = await made('regrow')
    all.clean.gathering = true
    await draw(all, [[10, 10], [40, 10]])
    await draw(all, [[90, 90], [140, 90]])
    expect(all.ledger.putStep).not.toHaveBeenCalled()
    await all.clean.run()
    expect((lastPut(all.ledger).put.mask as { strokes: unknown[] }).strokes).toHaveLength(2)
    expect(all.clean.gathered).toEqual([])
  })

  it('sets the tip by the right button: across its size, down its hardness, between their ends', async () => {
    const all = await made('heal')
    await draw(all, [[0, 0], [50, 40]], { button: 2 })
    expect(all.clean.brush.size).toBe(160)
    expect(all.clean.brush.hardness).toBeCloseTo(0.9)
    await draw(all, [[0, 0], [-5000, -5000]], { button: 2 })
    expect([all.clean.brush.size, all.clean.brush.hardness]).toEqual([2, 0])
    expect(all.ledger.putStep).not.toHaveBeenCalled()
  })
})

describe('cleaning', () => {
  it('keeps a clone’s offset from stroke to stroke, or starts over at its source', async () => {
    const all = await made('clone')
    all.clean.cloning.source = [100, 100]
    await draw(all, [[10, 20]])
    expect(lastPut(all.ledger).put.params).toMatchObject({ source: { dx: 90, dy: 80 } })
    await draw(all, [[50, 50]])
    expect(lastPut(all.ledger).put.params).toMatchObject({ source: { dx: 90, dy: 80 } })
    all.clean.cloning.follow = false
    await draw(all, [[50, 50]])
    expect(lastPut(all.ledger).put.params).toMatchObject({ source: { dx: 50, dy: 50 } })
  })

  it('looks at a dab, and takes up what can be changed', async () => {
    const all = await made('dab')
    await draw(all, [[10, 10]])
    expect(all.tools.selected).toBeNull()
  })

  it('gives a place to another method with what both know', async () => {
    const all = await made('heal', [step('heal', { params: { source: { dx: 3, dy: 4 } } })])
    await all.clean.switchTo(all.ledger.byId('heal') as ReturnType<typeof step>, 'clone')
    expect(lastPut(all.ledger).put).toMatchObject({ id: 'heal', op: 'clone', params: { source: { dx: 3, dy: 4 } } })
    await all.clean.switchTo(all.ledger.byId('heal') as ReturnType<typeof step>, 'regrow')
    expect(lastPut(all.ledger).put.params).toEqual({})
  })

  it('says which method would fit better, and takes that', async () => {
    const all = await made('heal')
    vi.stubGlobal('fetch', async () => Response.json({ method: 'regrow', why: 'the ground is rough' }))
    await draw(all, [[10, 10], [60, 60]])
    await vi.waitFor(() => expect(all.clean.hint).toMatchObject({ method: 'regrow', why: 'the ground is rough' }))
    await all.clean.takeHint()
    expect(lastPut(all.ledger)).toMatchObject({ says: 'Regrow instead of heal', put: { op: 'regrow' } })
    expect(all.clean.hint).toBeNull()
  })

  it('gives way to what surely fits, says so, and comes back when that is wanted', async () => {
    const all = await made('heal')
    vi.stubGlobal('fetch', async () => Response.json({ method: 'regrow', why: 'an edge runs through it', by_default: true }))
    await draw(all, [[10, 10], [60, 60]])
    await vi.waitFor(() => expect(lastPut(all.ledger)).toMatchObject({ says: 'Regrow instead of heal', put: { op: 'regrow' } }))
    await vi.waitFor(() => expect(all.clean.hint).toMatchObject({ method: 'regrow', instead: 'heal' }))
    await all.clean.takeHint()
    expect(lastPut(all.ledger)).toMatchObject({ says: 'Heal instead of regrow', put: { op: 'heal' } })
    // not where it is told to stay
    all.clean.yielding = false
    await draw(all, [[10, 90], [60, 140]])
    await vi.waitFor(() => expect(all.clean.hint).toMatchObject({ method: 'regrow' }))
    expect(all.clean.hint?.instead).toBeUndefined()
    expect(lastPut(all.ledger).put.op).toBe('heal')
  })

  it('goes through specks, and takes out what was not refused as one step', async () => {
    const all = await made('specks')
    const found = [1, 2, 3].map((k) => ({ x: 10.04 * k, y: 5, size: 4, contrast: 30, part_of_thing: false }))
    const asked = answering({ 'GET /api/photos/p/specks': found })
    await all.clean.specks.find()
    expect(asked).toHaveLength(1)
    expect(all.view.centreSource).toHaveBeenCalledWith([10.04, 5])
    all.clean.specks.judge(false)
    all.clean.specks.judge(true)
    expect(all.clean.specks.at).toBe(2)
    await all.clean.specks.take(true)
    const spots = lastPut(all.ledger).put.params?.spots as { x: number; accepted: boolean }[]
    expect(spots.map((one) => [one.x, one.accepted])).toEqual([[10, false], [20.1, true], [30.1, true]])
    expect(all.clean.specks.spots).toBeNull()
  })

  it('goes through what may be part of a thing only when asked to', async () => {
    const all = await made('specks')
    const found = [true, false, true].map((part_of_thing, k) => ({ x: k, y: 5, size: 4, contrast: 30, part_of_thing }))
    answering({ 'GET /api/photos/p/specks': found })
    await all.clean.specks.find()
    expect([all.clean.specks.spots?.length, all.clean.specks.inThings.length]).toEqual([1, 2])
    all.clean.specks.goThroughThings()
    expect([all.clean.specks.spots?.length, all.clean.specks.inThings.length, all.clean.specks.at]).toEqual([3, 0, 1])
  })

  it('forgets what may be part of a thing with the rest', async () => {
    const all = await made('specks')
    answering({ 'GET /api/photos/p/specks': [{ x: 1, y: 5, size: 4, contrast: 30, part_of_thing: true }] })
    await all.clean.specks.find()
    await all.clean.specks.take(false)
    expect([all.clean.specks.spots, all.clean.specks.inThings]).toEqual([null, []])
  })

  it('shows no specks where none could be found', async () => {
    const all = await made('specks')
    answering({ 'GET /api/photos/p/specks': () => problem(500, 'No.') })
    await all.clean.specks.find()
    expect([all.clean.specks.spots, all.clean.specks.searching]).toEqual([null, false])
  })
})

describe('shapes', () => {
  const same = (point: [number, number]) => point
  const twice = ([x, y]: [number, number]): [number, number] => [2 * x, 2 * y]
  const plainly = { drawn: same, source: same, toSource: same, scale: 1 }
  const painted = step(
    'heal',
    {
      mask: { kind: 'strokes', strokes: [{ points: [[10, 20, 1], [30, 20, 1]], size: 12, hardness: 1,
      opacity: 1, flow: 1, spacing: 0.15, roundness: 1, angle: 0 }] },
      params: { source: { dx: 5, dy: -5 } },
    },
  )

  it('are paths as wide as the tip, with what lies between a place and its source', () => {
    const shape = shapeOf(painted, { drawn: twice, source: twice, toSource: same, scale: 2 })
    expect(shape.parts).toEqual([{ width: 24, path: 'M20.0 40.0L60.0 40.0', first: [20, 40], single: false }])
    expect(shape.shift).toEqual([10, -10])
  })

  it('of an outline are filled, with a corner for each handle; of specks only those accepted', () => {
    const outline = shapeOf(step('patch', { mask: { kind: 'outline', points: [[0, 0], [9, 0], [9, 9]], feather: 0 } }), plainly)
    expect([outline.corners.length, outline.parts[0]?.width]).toEqual([3, null])
    const specks = shapeOf(step('specks', { params: { spots: [{ x: 1, y: 1, size: 9, accepted: true }, { x: 2, y: 2, size: 9, accepted: false }] } }), plainly)
    expect(specks.parts).toHaveLength(1)
  })

  it('move with all their points', () => {
    const moved = movedBy(painted, 3, 4).mask as { strokes: { points: number[][] }[] }
    expect(moved.strokes[0]?.points).toEqual([[13, 24, 1], [33, 24, 1]])
    expect(movedBy(step('specks'), 3, 4)).toEqual(step('specks'))
  })

  it('are written as paths, a single point as a disc', () => {
    expect(pathOf([[1, 2]])).toBe('M1 2h0.01')
    expect(outlineOf([])).toBe('')
    expect(outlineOf([[NaN, NaN], [NaN, NaN]])).toBe('')
    expect(outlineOf([[0, 0], [1, 0]])).toBe('M0.0 0.0L1.0 0.0Z')
  })

  it('keep only the corners that matter', () => {
    const line = Array.from({ length: 50 }, (_, k): [number, number] => [k, k < 25 ? 0 : 2 * (k - 25)])
    expect(simplified(line, 0.5)).toEqual([[0, 0], [25, 0], [49, 48]])
  })
})
