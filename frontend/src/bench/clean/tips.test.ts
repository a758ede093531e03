import { describe, expect, it } from 'vitest'

import type { Step } from '../../api/client'
import { apply, type PlaneMap, type Point } from '../picture/geometry'
import { shapeOf } from './shapes'
import { around, hull, laidAt, radiusOf, sceneOf, swept, tipOf } from './tips'

const itself = (point: Point) => point
const flat = { toSource: itself, ofSource: itself }
/** A floor under an eye: places (across, ahead) to where a camera sees them. */
const FLOOR: PlaneMap = [1000, 500, 0, 0, 0, 1000, 0, 1, 0]
const floor = sceneOf(FLOOR, flat)

function areaOf(loop: Point[]): number {
  return loop.reduce((sum, [x, y], k) => {
    const [u, v] = loop[(k + 1) % loop.length] as Point
    return sum + (x * v - u * y) / 2
  }, 0)
}

describe('a plane of the scene', () => {
  it('leads to the photo and back, and shows nothing beyond its horizon', () => {
    expect(floor.toSource([1, 4])).toEqual([750, 250])
    const [x, y] = floor.ofSource([750, 250])
    expect([x, y]).toEqual([expect.closeTo(1), expect.closeTo(4)])
    expect(floor.ofSource([500, -20])[0]).toBeNaN()
    expect(floor.toSource([0, -3])[0]).toBeNaN()
  })
})

describe('a tip', () => {
  it('is a circle where its plane is seen straight', () => {
    expect(radiusOf(itself, [50, 50], 30)).toBeCloseTo(15)
    for (const [x, y] of tipOf(itself, [50, 50], 15)) expect(Math.hypot(x - 50, y - 50)).toBeCloseTo(15)
  })

  it('is flat on a floor, covers what a round one does, and shrinks with the distance', () => {
    const widths = [4, 8].map((ahead) => {
      const radius = radiusOf(floor.toSource, [0, 4], 10)
      const tip = tipOf(floor.toSource, [0, ahead], radius)
      const [xs, ys] = [tip.map(([x]) => x), tip.map(([, y]) => y)]
      return { across: Math.max(...xs) - Math.min(...xs), down: Math.max(...ys) - Math.min(...ys), area: areaOf(tip) }
    })
    const [near, far] = widths as [(typeof widths)[0], (typeof widths)[0]]
    expect(Math.abs(near.area)).toBeCloseTo(Math.PI * 25, -0.9)
    expect(near.across / near.down).toBeCloseTo(4, 1)
    expect(near.across / far.across).toBeCloseTo(2, 1)
    expect(near.down / far.down).toBeCloseTo(4, 0)
  })

  it('is not drawn where some of it lies beyond the horizon', () => {
    expect(tipOf(floor.toSource, [0, 1], 2)).toEqual([])
    expect(swept(floor.toSource, [[0, 1]], 2)).toEqual([])
  })

  it('sweeps a ribbon, thinner where it is pressed less', () => {
    const [whole] = swept(itself, [[0, 0], [100, 0]], 10)
    expect(Math.abs(areaOf(whole ?? []))).toBeCloseTo(100 * 20 + Math.PI * 100, -1.3)
    const [thin] = swept(itself, [[0, 0, 0.5], [100, 0, 0.5]], 10)
    expect(Math.abs(areaOf(thin ?? []))).toBeCloseTo(100 * 10 + Math.PI * 25, -1.3)
    expect(around([[[0, 0], [4, 0], [4, 2]]])).toBe('M0.0 0.0L4.0 0.0L4.0 2.0Z')
  })

  it('has an outline without its inner points', () => {
    expect(hull([[0, 0], [4, 0], [2, 1], [4, 4], [0, 4], [2, 0]])).toHaveLength(4)
    expect(hull([[0, 0], [1, 1]])).toEqual([])
  })
})

describe('what is copied to a place', () => {
  it('is laid there by the map that its neighbourhood tells', () => {
    const map = laidAt(([x, y]) => [x + 30, y - 10], [200, 100])
    expect(map).toEqual([1, 0, -0, 1, -30, 10].map((value) => expect.closeTo(value)))
    const half = laidAt(([x, y]) => [100 + 2 * (x - 50), 2 * y], [50, 40]) as number[]
    const laid = apply([half[0], half[2], half[4], half[1], half[3], half[5], 0, 0, 1] as PlaneMap, [100, 80])
    expect(laid).toEqual([expect.closeTo(50), expect.closeTo(40)])
    expect(laidAt(() => [5, 5], [0, 0])).toBeNull()
    expect(laidAt(() => [NaN, 0], [0, 0])).toBeNull()
  })
})

describe('a repair painted in a plane', () => {
  const step = {
    op: 'clone', params: { source: { dx: 250, dy: 0 } },
    mask: { kind: 'strokes', round_in: 'plane', strokes: [{ points: [[500, 250, 1], [500, 125, 1]], size: 20 }] },
  } as unknown as Step
  const ways = { drawn: itself, source: itself, toSource: itself, scale: 1 }

  it('is drawn as what it covers, and its source as what is copied', () => {
    const [part] = shapeOf(step, { ...ways, scene: floor }).parts
    expect(part?.first).toEqual([500, 250])
    const xs = (path = '') => [...path.matchAll(/[ML]([\d.]+) /g)].map(([, x]) => Number(x))
    expect(Math.min(...xs(part?.area)) + Math.max(...xs(part?.area))).toBeCloseTo(1000, 0)
    // the source's far end lies half as far aside as its near one
    expect(Math.max(...xs(part?.source))).toBeGreaterThan(740)
    expect(Math.min(...xs(part?.source))).toBeGreaterThan(600)
    expect(Math.min(...xs(part?.source))).toBeLessThan(630)
  })

  it('is drawn as any other without its plane', () => {
    const [part] = shapeOf(step, { ...ways, scene: null }).parts
    expect(part?.area).toBeUndefined()
    expect(part?.width).toBe(20)
  })
})
