import { mount } from '@vue/test-utils'
import { beforeEach, describe, expect, it, vi } from 'vitest'
import { nextTick, ref } from 'vue'

import type { Step } from '../../api/client'
import { answering, around, problem, within } from '../../testing'
import { useAreas } from '../areas/useAreas'
import PiecesDeck from '../decks/PiecesDeck.vue'
import { apply, inverse, type PlaneMap, type Point } from '../picture/geometry'
import PiecesOverlay from '../picture/overlays/PiecesOverlay.vue'
import { focalOf, waysOf, type ViewSpec } from '../picture/sphere'
import type { LedgerRoom } from '../rooms/useLedger'
import { hands, lastPut, step } from '../testing/hands'
import { bench } from '../testing/theBench'
import { cornerTo, horizonOf, horizonTo, inPerspective, lyingNow, movedBy, perspective, stalkOf, turnedTo, type Four, type Lying } from './placing'
import { snapped, snappedPlace, type Edge } from './snapping'
import { usePieces } from './usePieces'

vi.mock('../useBench', () => import('../testing/theBench'))

const FOUR: Four = [[100, 100], [300, 100], [300, 200], [100, 200]]
const LYING: Lying = { corners: FOUR, size: [400, 200] }
const PLACED = { picture: 'b', at: [200, 150], scale: 0.5, turn: 0 }
const piece = (params: object = {}, more: Partial<Step> = {}) => step('piece', { params: { ...PLACED, ...params }, ...more })
const params = (one: Step) => one.params as Record<string, never>
const sayError = vi.fn()
const PANORAMA = { kind: 'view', heading: 0, pitch: 0, roll: 0, field: 90, size: [1000, 600], sphere: [4000, 2000, 0, 0] } as ViewSpec

describe('where a piece lies', () => {
  it('follows what changed since it was saved', () => {
    expect(lyingNow(piece(), LYING, piece({ at: [250, 160] }))[0]).toEqual([150, 110])
    expect(lyingNow(piece(), LYING, piece({ scale: 1 }))[2]).toEqual([400, 250])
    const turned = lyingNow(piece(), LYING, piece({ turn: 90 }))
    expect(turned[0]).toEqual([expect.closeTo(250), expect.closeTo(50)])
    const own: Four = [[0, 0], [10, 0], [10, 10], [0, 10]]
    expect(lyingNow(piece(), LYING, piece({ corners: own }))).toBe(own)
  })
  it('is moved as a whole, by its middle or by all its corners', () => {
    expect(params(movedBy(piece(), [10, -5])).at).toEqual([210, 145])
    expect(params(movedBy(piece({ corners: FOUR }), [10, -5])).corners).toEqual([[110, 95], [310, 95], [310, 195], [110, 195]])
  })
  it('in a plane of the scene is moved, scaled and turned on that, and grows smaller the farther away it lies', () => {
    // lengths shrink upward, to a horizon at y = -500
    const plane = [1, 0, 200, 0, 1, 150, 0, 0.002, 1]
    const out = ([x, y]: Point): Point => apply(plane as unknown as PlaneMap, [x, y])
    const flat: Four = [[-100, -50], [100, -50], [100, 50], [-100, 50]]
    const lying: Lying = { corners: flat.map(out) as Four, size: [400, 200], plane }
    const back = (four: Four) => four.map((place) => apply(inverse(plane as unknown as PlaneMap), place))
    const near = (four: Four, wanted: Point[]) => back(four).forEach(([x, y], k) => {
      expect(x).toBeCloseTo(wanted[k]?.[0] ?? NaN, 1)
      expect(y).toBeCloseTo(wanted[k]?.[1] ?? NaN, 1)
    })
    const moved = movedBy(piece(), [30, -40])
    const [middle] = back([moved.params?.at as Point, ...FOUR] as unknown as Four)
    near(lyingNow(piece(), lying, moved), flat.map(([x, y]): Point => [x + (middle?.[0] ?? 0), y + (middle?.[1] ?? 0)]))
    near(lyingNow(piece(), lying, piece({ turn: 90 })), [[50, -100], [50, 100], [-50, 100], [-50, -100]])
    // a corner that is taken twice as far away in the plane makes it twice as large
    expect(params(cornerTo(piece(), lying.corners, 2, out([200, 100]), plane)).scale).toBeCloseTo(1, 3)
    expect(params(turnedTo(piece(), lying.corners, out([80, 0]), plane)).turn).toBe(90)
    const sky = piece({ horizon: 0.5 })
    expect(horizonOf(sky, lying.corners, plane)).toEqual([out([-100, 0]), out([100, 0])].map((one) => one.map((value) => expect.closeTo(value, 6))))
    const [, y] = horizonTo(sky, lying.corners, out([40, 25]), plane).params?.at as Point
    expect(y).toBeCloseTo(out([0, 25])[1], 1)
  })
  it('snaps by its sides or its middle, where one is near', () => {
    const onto = { size: [600, 400] as [number, number], edges: [], horizon: null }
    expect(snapped(FOUR, onto, 5)).toEqual([0, 0])
    expect(snapped([[4, 100], [204, 100], [204, 200], [4, 200]], onto, 5)).toEqual([-4, 0])
    expect(snapped([[203, 298], [403, 298], [403, 398], [203, 398]], onto, 5)).toEqual([-3, 2])
  })
  it('snaps by a side to an edge of the photo that runs as it does and along it', () => {
    const onto = (...edges: Edge[]) => ({ size: [6000, 4000] as [number, number], edges, horizon: null })
    const [x, y] = snapped(FOUR, onto([303, 90, 304, 210], [120, 204, 280, 204]), 6)
    expect([x, y]).toEqual([expect.closeTo(3.5, 1), expect.closeTo(4, 1)])
    // of another direction, elsewhere along it, or too far away
    expect(snapped(FOUR, onto([303, 90, 330, 210]), 6)).toEqual([0, 0])
    expect(snapped(FOUR, onto([303, 400, 303, 600]), 6)).toEqual([0, 0])
    expect(snapped(FOUR, onto([309, 90, 309, 210]), 6)).toEqual([0, 0])
  })
  it('snaps by two sides of a turned piece at once', () => {
    const turned: Four = [[200, 100], [300, 200], [200, 300], [100, 200]]
    const onto = { size: [6000, 4000] as [number, number], edges: [[206, 100, 306, 200], [305, 200, 205, 300]] as Edge[], horizon: null }
    const [x, y] = snapped(turned, onto, 6)
    // onto x - y = 106 and x + y = 505, where its sides were 100 and 500
    expect([x - y, x + y]).toEqual([expect.closeTo(6), expect.closeTo(5)])
  })
  it('brings a corner onto a corner of edges, else onto an edge', () => {
    const edges: Edge[] = [[100, 50, 300, 50], [302, 52, 302, 200]]
    expect(snappedPlace([299, 54], edges, 6)).toEqual([302, 50])
    expect(snappedPlace([200, 54], edges, 6)).toEqual([200, 50])
    expect(snappedPlace([200, 60], edges, 6)).toEqual([200, 60])
  })
  it('keeps its horizon where it is told to lie, and is moved by it along its uprights', () => {
    const sky = piece({ at: [200, 175], horizon: 0.75 })
    expect(horizonOf(sky, FOUR)).toEqual([[100, 175], [300, 175]])
    expect(horizonOf(piece(), FOUR)).toBeNull()
    expect(horizonOf(piece({ horizon: 1, corners: FOUR }), FOUR)).toBeNull()
    expect(params(horizonTo(sky, FOUR, [260, 190])).at).toEqual([200, 190])
    // a horizon told anew moves the rest; what lies at it stays
    expect(lyingNow(sky, LYING, piece({ at: [200, 175], horizon: 0.5 }))[0]).toEqual([100, 125])
    const onto = { size: [6000, 4000] as [number, number], edges: [], horizon: 178 }
    expect(snapped(FOUR, onto, 5, [200, 175])).toEqual([0, 3])
  })
  it('is mirrored by a corner that is taken to the other side, where it is mirrored across or not at all', () => {
    const turned = cornerTo(piece(), FOUR, 0, [300, 100])
    expect(params(turned)).toMatchObject({ scale: 0.5, mirror: 'across' })
    expect(lyingNow(piece(), LYING, turned)).toEqual([FOUR[1], FOUR[0], FOUR[3], FOUR[2]])
    expect(params(cornerTo(piece({ mirror: 'across' }), FOUR, 0, [300, 100])).mirror).toBe('none')
    expect(params(cornerTo(piece({ mirror: 'down' }), FOUR, 0, [300, 100])).mirror).toBe('down')
  })
  it('grows about its middle by a corner, or takes that corner alone in perspective', () => {
    expect(params(cornerTo(piece(), FOUR, 0, [0, 50])).scale).toBe(1)
    expect(params(cornerTo(step('text', { params: { text: 'a', at: [200, 150], size: 60 } }), FOUR, 0, [0, 50])).size).toBe(120)
    const stood = cornerTo(piece({ corners: FOUR }), FOUR, 2, [320, 230])
    expect(params(stood).corners).toEqual([[100, 100], [300, 100], [320, 230], [100, 200]])
  })
  it('is turned by its stalk', () => {
    expect(stalkOf(FOUR, 20)).toEqual([[200, 100], [200, 80]])
    expect(params(turnedTo(piece(), FOUR, [260, 150])).turn).toBe(90)
    expect(params(turnedTo(piece({ turn: 170 }), FOUR, [260, 150])).turn).toBe(-100)
  })
  it('stands in perspective and lies level again, where it is', () => {
    const stood = perspective(piece(), LYING, true)
    expect(inPerspective(stood)).toBe(true)
    const level = perspective(stood, LYING, false)
    expect(params(level)).toMatchObject({ at: [200, 150], scale: 0.5 })
    expect(inPerspective(level)).toBe(false)
  })
})

function open(steps: Step[] = [], taken: string | null = null) {
  const { made } = within(() => {
    const all = hands(steps)
    const ledger = all.ledger as unknown as LedgerRoom
    Object.assign(all.ledger, {
      page: {
        photo: { title: 'Front', width: 4000, height: 3000 },
        siblings: [{ id: 'p', blob: 'own', title: 'Front' }, { id: 'q', blob: 'other', title: 'Back', width: 2000, height: 1000 }],
      },
    })
    const areas = useAreas({ decks: all.decks, ledger, tools: all.tools, clean: all.clean, view: all.view, sayError })
    return { ...all, areas, pieces: usePieces({ decks: all.decks, ledger, tools: all.tools, areas, planes: all.planes, view: all.view, sayError }) }
  })
  made.tools.station = 'pieces'
  made.tools.selected = taken
  return made
}
const put = (made: ReturnType<typeof open>) => lastPut(made.ledger).put
const EDGES = { edges: [[0, 900, 4000, 900]], horizon: 1800 }
const LIES = {
  'GET /api/photos/p/edges': () => EDGES, 'GET /api/photos/p/steps/piece/lying': () => LYING,
  'GET /api/photos/p/steps/text/lying': () => ({ ...LYING, contrast: 2.5 }),
}

beforeEach(() => {
  answering(LIES)
  sayError.mockClear()
})

describe('pieces', () => {
  it('lie in the view that is looked through, and are told in its pixels', async () => {
    const view = { ...PANORAMA, heading: 10, pitch: -20 }
    const text = { id: 'text', op: 'text', chart: view, params: { text: 'Quay', at: [500, 300] } } as unknown as Step
    answering({ ...LIES, 'GET /api/photos/p/steps/text/lying': () => ({ ...LYING, view }) })
    const made = open([text], 'text')
    await vi.waitFor(() => expect(made.pieces.seenIn).toEqual(view))
    const { toSource, ofSource } = made.pieces.ways
    const [x, y] = toSource([500, 300])
    // ten degrees to the right of the middle, twenty below it
    expect([x, y]).toEqual([expect.closeTo(2000 + 4000 / 36, 3), expect.closeTo(1000 + 2000 / 9, 3)])
    expect(ofSource([x, y])).toEqual([expect.closeTo(500, 6), expect.closeTo(300, 6)])
    // nothing of the flat picture's edges is snapped to there
    expect(made.pieces.onto).toEqual({ size: [1000, 600], edges: [], horizon: null })
  })

  it('are laid where the photo shows what they show, with the light that fits there', async () => {
    const shot = { id: 'piece', op: 'piece', params: { picture: 'floor', at: [500, 300], scale: 1 } } as unknown as Step
    const corners = [[100, 100], [500, 120], [480, 420], [90, 400]]
    const answers: Record<string, unknown> = { corners: null, places: 0, error: 0, light: {} }
    answering({ ...LIES, 'GET /api/photos/p/steps/piece/likeness': () => answers })
    const made = open([shot], 'piece')
    await vi.waitFor(() => expect(made.pieces.four).toBeTruthy())
    await made.pieces.placeByLikeness()
    expect(sayError).toHaveBeenCalledWith(expect.objectContaining({ message: 'Too little of it is seen here too.' }))
    Object.assign(answers, { corners, places: 90, light: { exposure: 0.4 } })
    await made.pieces.placeByLikeness()
    expect(put(made)?.params).toMatchObject({ picture: 'floor', corners, exposure: 0.4, melt: 100, softened: 15 })
  })

  it('change the pixels that they are told in with the plane that they lie in', async () => {
    const view = PANORAMA
    const wall = { id: 'wall', op: 'plane', params: { name: 'Wall', corners: [], view: { ...view, heading: 30 } } } as unknown as Step
    const text = { id: 'text', op: 'text', chart: view, params: { text: 'Quay', at: [500, 300] } } as unknown as Step
    answering({ ...LIES, 'GET /api/photos/p/steps/text/lying': () => ({ ...LYING, view }) })
    const made = open([wall, text], 'text')
    await vi.waitFor(() => expect(made.pieces.seenIn).toEqual(view))
    await made.pieces.lieIn('wall')
    const laid = put(made)
    expect(laid).toMatchObject({ chart: { kind: 'plane', step: 'wall' } })
    // thirty degrees to the left of the middle of that view: half of it is 500 px, or 45 degrees
    const [x, y] = (laid?.params as { at: [number, number] }).at
    expect([x, y]).toEqual([expect.closeTo(500 - 500 * Math.tan(Math.PI / 6), 1), expect.closeTo(300, 1)])
  })

  it('are laid of the ticket, cut of the photo, and written, and taken up', async () => {
    const made = open()
    await nextTick()
    expect(made.pieces.others).toEqual([{ picture: 'other', title: 'Back', size: [2000, 1000], photo: 'q' }])
    await made.pieces.layPhoto(made.pieces.others[0] as never)
    expect(put(made)).toMatchObject({ op: 'piece', params: { picture: 'other', title: 'Back' } })
    expect(made.tools.selected).toBe(put(made).id)
    await made.pieces.cut([[1, 1], [9, 1], [9, 9]])
    expect(put(made).params).toMatchObject({
      picture: '', part: [1, 1, 9, 9], at: [5, 5], scale: 1, cover: { parts: [{ shape: { kind: 'subject', around: [[1, 1], [9, 1], [9, 9]] } }] },
    })
    await made.pieces.write()
    expect(put(made)).toMatchObject({ op: 'text', params: { text: 'Text' } })
  })

  it('are cut in a panorama as they are seen, and brought to where one looks as large as they are seen', async () => {
    const made = open()
    Object.assign(made.view, { spec: { ...PANORAMA, heading: 170, pitch: -40 } })
    const { toSource } = waysOf(made.view.spec as ViewSpec)
    await made.pieces.cut(([[600, 300], [700, 300], [700, 400], [600, 400]] as Point[]).map(toSource))
    const cut = put(made)
    const { cut_in: seen, part, at, scale } = cut.params as { cut_in: ViewSpec; part: number[]; at: Point; scale: number }
    expect(cut.chart).toEqual(seen)
    expect(scale).toBe(1)
    // amid its own view, whose pixels are as fine as the panorama's, and its sides upright in it
    expect(at).toEqual([expect.closeTo((seen.size[0] ?? 0) / 2, -1), expect.closeTo((seen.size[1] ?? 0) / 2, -1)])
    expect(focalOf(seen)).toBeCloseTo(4000 / (2 * Math.PI), 0)
    expect(part[0]).toBeGreaterThan(10)
    expect((cut.params?.cover as { parts: { shape: { around: Point[] } }[] }).parts[0]?.shape.around).toHaveLength(4)

    Object.assign(made.view, { spec: { ...PANORAMA, size: [2000, 1200] } })
    Object.assign(made.ledger, { steps: [{ step: { ...cut, id: 'piece' } }] })
    made.tools.selected = 'piece'
    answering({ ...LIES, 'GET /api/photos/p/steps/piece/lying': () => ({ ...LYING, view: seen }) })
    await vi.waitFor(() => expect(made.pieces.seenIn).toEqual(seen))
    await made.pieces.lieHere()
    expect(put(made)).toMatchObject({ chart: { heading: 0, size: [2000, 1200] }, params: { at: [1000, 600], cut_in: seen } })
    // half of 2000 pixels at 45 degrees is a focal length of 1000
    expect((put(made).params as { scale: number }).scale).toBeCloseTo(1000 / focalOf(seen), 3)
  })

  it('are not cut of more than a view shows', async () => {
    const made = open()
    Object.assign(made.view, { spec: { ...PANORAMA, field: 140 } })
    await made.pieces.cut([[100, 1000], [2000, 1000], [3900, 1100]])
    expect(sayError).toHaveBeenCalledWith(expect.objectContaining({ message: 'That reaches too far around.' }))
    expect(made.ledger.putStep).not.toHaveBeenCalled()
  })

  it('are another sky over the whole width, seen through the photo’s own', async () => {
    const made = open()
    await nextTick()
    await made.pieces.laySky(made.pieces.skies[0] as never)
    const { scale, at, within: through, title } = put(made).params as { scale: number; at: number[]; within: object; title: string }
    expect(scale * 4096).toBeGreaterThan(4000)
    // its foot where the photo's sky ends, its head above the photo
    expect(put(made).params).toMatchObject({ at: [2000, 1800], horizon: 1 })
    expect((at[1] ?? 0) - scale * 2048).toBeLessThan(0)
    expect(through).toMatchObject({ parts: [{ shape: { kind: 'sky' } }] })
    expect(title).toBe('sky · fair day')
  })

  it('are another sky all around a panorama, whose other end comes in little by little at the back', async () => {
    const made = open()
    Object.assign(made.ledger.page as object, { sphere: [4000, 2000, 0, 0] })
    await nextTick()
    await made.pieces.laySky(made.pieces.skies[0] as never)
    const [summary, changes] = vi.mocked(made.ledger.change).mock.calls.at(-1) as unknown as [string, { step: Step }[]]
    expect(summary).toBe('Another sky')
    const [first, second] = changes.map((one) => one.step.params as { at: Point; scale: number; within: { parts: { shape: object }[] } })
    const wide = (first?.scale ?? 0) * 4096
    // the same picture once more, a panorama's width to the right: what it begins with meets what the first begins with
    expect((second?.at[0] ?? 0) - (first?.at[0] ?? 0)).toBeCloseTo(4000, 6)
    expect((first?.at[0] ?? 0) + wide / 2).toBeCloseTo(4000, 3)
    const seam = second?.within.parts[1] as { mode: string; shape: { start: Point; end: Point } }
    expect(seam.mode).toBe('intersect')
    expect(seam.shape.end[0]).toBeGreaterThan(8000 - wide)
    expect(seam.shape.start[0]).toBeLessThan(4000)
  })

  it('are cut to a thing by a loose outline in their own pixels, and led by strokes in those', async () => {
    const made = open([piece({ part: [40, 20, 440, 220] }, { id: 'piece' })], 'piece')
    await vi.waitFor(() => expect(made.pieces.lying).not.toBeNull())
    await made.pieces.trim([[100, 100], [200, 150], [300, 200]])
    expect(put(made).params).toMatchObject({
      cover: { parts: [{ shape: { kind: 'subject', around: [[40, 20], [240, 120], [440, 220]] } }], fine: { band: 24 } },
    })
    expect(made.tools.tool).toBe('look')
    Object.assign(made.ledger.steps[0]?.step.params as object, put(made).params)
    await made.pieces.lead([[200, 150], [210, 150]], 8, false)
    const [part] = (put(made).params?.cover as { parts: { shape: { around: unknown; led: unknown[] } }[] }).parts
    expect(part?.shape.led).toEqual([{ inside: false, stroke: { points: [[240, 120, 1], [260, 120, 1]], size: 16, hardness: 1 } }])
    expect(part?.shape.around).toHaveLength(3)
    await made.pieces.layOf('all')
    expect(put(made).params?.cover).toBeNull()
  })

  it('are led by strokes in the photo to the sky that they are seen through', async () => {
    const through = { parts: [{ mode: 'add', shape: { kind: 'sky' } }, { mode: 'subtract', shape: { kind: 'straight' } }] }
    const made = open([piece({ within: through }, { id: 'piece' })], 'piece')
    await made.pieces.leadThrough([[200, 150], [210, 150]], 8, true)
    const led = [{ inside: true, stroke: { points: [[200, 150, 1], [210, 150, 1]], size: 8, hardness: 1 } }]
    expect(put(made).params?.within).toEqual({ parts: [{ mode: 'add', shape: { kind: 'sky', led } }, through.parts[1]] })
    expect(put(made).params?.cover).toBeUndefined()
  })

  it('have a horizon where they are told to, and lie where they lay', async () => {
    const made = open([piece({}, { id: 'piece' })], 'piece')
    await vi.waitFor(() => expect(made.pieces.lying).not.toBeNull())
    await made.pieces.tellHorizon(true)
    expect(put(made).params).toMatchObject({ horizon: 1, at: [200, 200] })
    await made.pieces.tellHorizon(false)
    expect(put(made).params).toMatchObject({ horizon: null, at: [200, 150] })
  })

  it('go into the four corners of what is clicked, or lie about the place where there are none', async () => {
    let corners: Four | null = FOUR
    answering({ 'GET /api/photos/p/corners': () => ({ corners, soft: 3.5 }) })
    const made = open()
    await nextTick()
    made.pieces.into(made.pieces.others[0] as never)
    expect(made.tools.tool).toBe('into')
    await made.pieces.layInto([200, 150])
    expect(put(made).params).toMatchObject({ picture: 'other', corners: FOUR, softened: 3.5 })
    corners = null
    made.pieces.into(made.pieces.others[0] as never)
    await made.pieces.layInto([200, 150])
    expect(put(made).params).toMatchObject({ at: [200, 150], scale: 0.4 })
    expect(made.pieces.waiting).toBeNull()
  })

  it('are matched in part', async () => {
    answering({ ...LIES, 'GET /api/photos/p/steps/piece/match': () => ({ params: { exposure: -0.4, grain: 3 } }) })
    const made = open([piece()], 'piece')
    await nextTick()
    await made.pieces.match(0.5)
    expect(put(made).params).toMatchObject({ exposure: -0.2, grain: 1.5, picture: 'b' })
  })

  it('say why where they cannot be', async () => {
    answering({ ...LIES, 'GET /api/photos/p/steps/piece/match': () => problem(422, 'Not now.') })
    const made = open([piece()], 'piece')
    await nextTick()
    await made.pieces.match(1)
    expect(sayError).toHaveBeenCalled()
    expect(made.ledger.putStep).not.toHaveBeenCalled()
    expect(made.pieces.matching).toBe(false)
  })

  it('leave their old place to be grown shut, a little wider than what was cut', async () => {
    let view: object | null = null
    const asked = answering({ ...LIES, 'GET /api/photos/p/steps/piece/cut': () => ({ loops: [[[0, 0], [9, 0], [9, 9]]], view }) })
    const made = open([piece({ picture: '', cover: { parts: [] } })], 'piece')
    await nextTick()
    expect(made.pieces.ownCut).toBe(true)
    await made.pieces.growShut()
    expect(asked.at(-1)?.path).toBe('/api/photos/p/steps/piece/cut')
    expect(put(made)).toMatchObject({ op: 'regrow', chart: null, mask: { kind: 'outline', points: [[0, 0], [9, 0], [9, 9]] } })
    view = PANORAMA
    await made.pieces.growShut()
    expect(put(made)).toMatchObject({ chart: PANORAMA, mask: { view: PANORAMA } })
  })

  it('are seen through everything, the sky or a copied cover', async () => {
    const made = open([piece()], 'piece')
    await nextTick()
    expect(made.pieces.seen).toBe('all')
    await made.pieces.seenThrough('sky')
    expect(made.pieces.seen).toBe('sky')
    made.areas.copied = { parts: [{ enabled: true, mode: 'add', invert: false, feather: 0, shape: { kind: 'tones', low: 0, high: 50, soft: 10 } }] }
    await made.pieces.seenThrough('cover')
    expect(put(made).params).toMatchObject({ within: { parts: [{ shape: { kind: 'tones' } }] } })
    expect(made.pieces.seen).toBe('cover')
    await made.pieces.seenThrough('all')
    expect(put(made).params).toMatchObject({ within: null })
  })

  it('are files of this machine, kept with the photo', async () => {
    const upload = { id: 'u', have: 0, brought: null as object | null }
    const asked = answering({
      ...LIES, 'POST /api/tickets/FT-9/uploads': () => upload,
      'PUT /api/tickets/FT-9/uploads/u': () => ({ ...upload, have: 3, brought: { photo: 'p', picture: 'f00d', problem: null, already_there: false } }),
    })
    const made = open()
    await nextTick()
    Object.assign(made.ledger.page as object, { ticket: { number: 'FT-9' } })
    await made.pieces.layFile([new File(['abc'], 'logo.png')])
    expect(asked.at(-1)?.method).toBe('PUT')
    expect(put(made).params).toMatchObject({ picture: 'f00d', title: 'logo' })
    answering({ 'POST /api/tickets/FT-9/uploads': () => problem(422, 'This is not a picture.') })
    await made.pieces.layFile([new File(['abc'], 'note.txt')])
    expect(sayError).toHaveBeenCalledWith(expect.objectContaining({ message: 'This is not a picture.' }))
  })

  it('come back from where they were lent, and are seen when they are laid', async () => {
    const upload = { id: 'u', have: 3, brought: { photo: 'p', problem: null, already_there: false } }
    const asked = answering({ ...LIES, 'POST /api/tickets/FT-9/uploads': () => upload })
    const made = open()
    await nextTick()
    Object.assign(made.ledger.page as object, { ticket: { number: 'FT-9' } })
    Object.assign(made.ledger, { load: vi.fn(async () => void (made.ledger.revision = 2)) })
    await made.pieces.takeBack([new File(['abc'], 'back.tif')])
    expect(asked[0]?.body).toMatchObject({ name: 'back.tif', size: 3 })
    expect(made.ledger.revision).toBe(2)
    expect(made.pieces.coming).toBe(false)
    answering({ 'POST /api/tickets/FT-9/uploads': () => problem(422, 'Too large.') })
    await made.pieces.takeBack([new File(['abc'], 'back.tif')])
    expect(sayError).toHaveBeenCalledWith(expect.objectContaining({ message: 'Too large.' }))
  })

  it('give their outline to Areas and Clean', async () => {
    const loops = [[[0, 0], [90, 0], [90, 60]], [[20, 10], [40, 10], [40, 30]]]
    answering({ ...LIES, 'GET /api/photos/p/steps/piece/outline': () => ({ loops }) })
    const made = open([piece()], 'piece')
    await nextTick()
    await made.pieces.copyOutline()
    expect(made.areas.copied).toMatchObject({ parts: [{ shape: { kind: 'outline', points: loops[0], others: [loops[1]] } }] })
  })

  const POND: Point[] = [[80, 160], [320, 150], [310, 300], [90, 280]]
  it('are mirrored below their lower edge, in water that is drawn around loosely', async () => {
    const made = open([piece({ title: 'sky' })], 'piece')
    await vi.waitFor(() => expect(made.pieces.mirrored).toBe(true))
    vi.spyOn(made.areas, 'outlinesOf').mockResolvedValue([POND])
    await made.pieces.reflect(POND)
    const within = { parts: [{ shape: { kind: 'subject', around: POND } }] }
    expect(put(made).params).toMatchObject({ title: 'sky in water', at: [200, 250], mirror: 'down', within, scale: 0.5 })
  })
  it.each([
    ['larger where there is more water than sky: 150 px and 80', POND, 0.95625],
    ['no smaller where there is less', POND.map(([x, y]): Point => [x, Math.min(y, 220)]), 0.5],
  ])('are mirrored about their horizon, %s', async (_, around, scale) => {
    const made = open([piece({ at: [200, 180], horizon: 0.8 })], 'piece')
    await vi.waitFor(() => expect(made.pieces.mirrored).toBe(true))
    vi.spyOn(made.areas, 'outlinesOf').mockResolvedValue([around])
    await made.pieces.reflect(POND)
    expect(put(made).params).toMatchObject({ at: [200, 150], horizon: 0.8, scale })
  })

  it('show half while that is held, and nothing else is let go', async () => {
    const made = open([piece({}, { strength: 0.8 })], 'piece')
    await nextTick()
    made.pieces.half(false)
    expect(made.ledger.letGo).not.toHaveBeenCalled()
    made.pieces.half(true)
    expect(made.ledger.drag).toHaveBeenCalledWith(expect.objectContaining({ strength: 0.4 }))
    made.pieces.half(false)
    expect(made.ledger.letGo).toHaveBeenCalledOnce()
  })
})

describe('on the picture', () => {
  async function laid(one: Step) {
    const made = open([one], one.op)
    Object.assign(bench, made, { settled: ref(true) })
    await vi.waitFor(() => expect(made.pieces.four).toBeTruthy())
    return { made, shown: mount(PiecesOverlay, { global: around }) }
  }
  it('a piece has carets at its corners and a stalk, moved by keys', async () => {
    const { made, shown } = await laid(piece())
    expect(shown.findAll('[aria-label^="Corner"]')).toHaveLength(4)
    await shown.get('[aria-label="Corner 1"]').trigger('keydown', { key: 'ArrowLeft', shiftKey: true })
    expect((put(made).params as { scale: number }).scale).toBeGreaterThan(0.5)
    await shown.get('[aria-label^="The piece"]').trigger('keydown', { key: 'ArrowDown' })
    expect(put(made).params).toMatchObject({ at: [200, 151] })
    await shown.get('[aria-label="Turn it"]').trigger('keydown', { key: 'ArrowRight', shiftKey: true })
    expect((put(made).params as { turn: number }).turn).toBeGreaterThan(0)
  })
  it('a horizon is moved up and down, and a shadow is turned by its tip', async () => {
    answering({ ...LIES, 'GET /api/photos/p/steps/piece/lying': () => ({ ...LYING, stands: [100, 200] }) })
    const { made, shown } = await laid(piece({ at: [200, 200], horizon: 1, shade: { angle: 0, length: 0.5, contact: 30 } }))
    await shown.get('[aria-label="Its horizon"]').trigger('keydown', { key: 'ArrowUp' })
    expect(put(made).params).toMatchObject({ at: [200, 199], horizon: 1 })
    // it stands in its middle, 100 high: the tip lies 50 to the right of its foot
    await shown.get('[aria-label="Where its shadow falls"]').trigger('keydown', { key: 'ArrowRight', shiftKey: true })
    expect(put(made).params).toMatchObject({ shade: { angle: 0, length: 0.6, contact: 30 } })
  })
  it('one in perspective has no stalk', async () => {
    const { shown } = await laid(piece({ corners: FOUR }))
    expect(shown.findAll('[aria-label="Turn it"]')).toHaveLength(0)
    expect(shown.findAll('[aria-label^="Corner"]')).toHaveLength(4)
  })
})

describe('the deck', () => {
  async function deck(made: ReturnType<typeof open>) {
    Object.assign(bench, made, { settled: ref(true) })
    await nextTick()
    return mount(PiecesDeck, { global: around, attachTo: document.body })
  }
  it('says what a piece is, and writes', async () => {
    const made = open()
    const shown = await deck(made)
    expect(shown.text()).toContain('cut paper')
    await shown.findAll('button').find((one) => one.text() === 'text')?.trigger('click')
    await nextTick()
    expect(put(made).op).toBe('text')
  })
  it('sets a text and says how it reads', async () => {
    const made = open([step('text', { params: { text: 'To let', size: 80, at: [1, 1] } })], 'text')
    const shown = await deck(made)
    await vi.waitFor(() => expect(shown.text()).toContain('hard to read'))
    await shown.get('textarea').setValue('Sold')
    await shown.get('textarea').trigger('change')
    expect(put(made).params).toMatchObject({ text: 'Sold', size: 80 })
  })
  it('has the rulers of a place, of a fit and of a join, and puts light into the piece', async () => {
    const made = open([piece()], 'piece')
    const shown = await deck(made)
    const names = () => shown.findAll('[role=slider]').map((one) => one.attributes('aria-label'))
    expect(names()).toEqual(['scale'])
    made.tools.groups.pieces = 'fit'
    await nextTick()
    expect(names()).toEqual(['exposure'])
    made.tools.groups.pieces = 'shade'
    await nextTick()
    await shown.get('[aria-label="Throws a shadow"]').trigger('click')
    expect(put(made).params).toMatchObject({ shade: {} })
    await vi.waitFor(() => expect(names()).toEqual(['contact']))
    await shown.get('[aria-label=contact]').trigger('keydown', { key: 'ArrowRight' })
    await vi.waitFor(() => expect(put(made).params).toMatchObject({ shade: { contact: 1 } }))
    made.tools.groups.pieces = 'Tone'
    await nextTick()
    await shown.get('[role=slider][aria-label=contrast]').trigger('keydown', { key: 'ArrowRight' })
    await vi.waitFor(() => expect(put(made).params).toMatchObject({ steps: [{ op: 'contrast' }] }))
  })
})
