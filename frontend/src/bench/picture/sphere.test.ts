import { describe, expect, it } from 'vitest'

import { inverse, type Point } from './geometry'
import {
  anglesOf, covering, directionOf, facing, focalOf, ofDirection, product, rays, seenAt, turned, turnedBy, viewAround, waysOf, within180,
  type SphereSpec, type ViewSpec,
} from './sphere'

const WHOLE: SphereSpec = [1440, 720, 0, 0]
const view = (more: Partial<ViewSpec> = {}): ViewSpec => ({
  kind: 'view', heading: 0, pitch: 0, roll: 0, field: 90, size: [400, 300], sphere: WHOLE, ...more,
})
const near = (found: number[], wanted: number[]) => found.forEach((value, k) => expect(value).toBeCloseTo(wanted[k] ?? NaN, 6))

describe('the sphere', () => {
  it('lies in the flat picture as the server has it: a degree is the same everywhere', () => {
    for (const [heading, pitch, where] of [[0, 0, [720, 360]], [90, 0, [1080, 360]], [-90, 30, [360, 240]]] as [number, number, Point][]) {
      near(waysOf(view({ heading, pitch })).toSource([200, 150]), where)
    }
    near(waysOf(view()).toSource([400, 150]), [900, 360])
  })

  it('of a part of a panorama lies where the part begins', () => {
    const part: SphereSpec = [1440, 720, 300, 100]
    near(waysOf(view({ sphere: part })).toSource([200, 150]), [420, 260])
    near(ofDirection(part, directionOf(part, [12, 34])), [12, 34])
  })

  it('gives back what was drawn in a view, also at the pole, and nothing for what is behind', () => {
    for (const one of [view({ heading: 30, pitch: -20 }), view({ pitch: -90, field: 120 }), view({ heading: 170, pitch: 40, roll: 12 })]) {
      const ways = waysOf(one)
      near(ways.ofSource(ways.toSource([37, 211])), [37, 211])
    }
    expect(waysOf(view()).ofSource([0, 360])).toEqual([NaN, NaN])
  })

  it('turns by angles that it gives back', () => {
    for (const [heading, pitch, roll] of [[30, -20, 5], [-170, 60, -100], [10, 0, 0]] as [number, number, number][]) {
      const found = anglesOf(turnedBy(heading, pitch, roll))
      near([found.heading, found.pitch, found.roll], [heading, pitch, roll])
    }
    expect(anglesOf(turnedBy(40, 90)).pitch).toBe(90)
    near(turned(turnedBy(0, 90), [0, 0, 1]), [0, -1, 0])
  })

  it('is seen around places in its middle, upright as it was looked at', () => {
    for (const looked of [view({ heading: 170, pitch: -30 }), view({ pitch: -90 }), view({ heading: 20, pitch: 10, roll: 8 })]) {
      const places = ([[300, 180], [360, 180], [360, 240], [300, 240]] as Point[]).map(waysOf(looked).toSource)
      const found = viewAround(places, looked) as ViewSpec
      const [a, b, c] = places.map(waysOf(found).ofSource) as [Point, Point, Point]
      const half = (found.size[0] ?? 0) / 2
      for (const k of [0, 1]) expect(Math.abs(((a[k] ?? NaN) + (c[k] ?? NaN)) / 2 - half)).toBeLessThan(0.1 * half)
      // its upper side leans by little where the eye turned by little, and it fills most of the view
      expect(Math.abs(b[1] - a[1])).toBeLessThan(0.2 * (b[0] - a[0]))
      expect((b[0] - a[0]) / half).toBeGreaterThan(0.9)
      expect(focalOf(found)).toBeCloseTo(1440 / (2 * Math.PI), 0)
    }
    expect(viewAround([[0, 360], [720, 360]], view({ field: 140 }))).toBeNull()
  })

  it('says where a direction faces, and headings within half a turn', () => {
    const found = facing(turned(turnedBy(-120, 25), [0, 0, 1]))
    near([found.heading, found.pitch], [-120, 25])
    expect([190, -190, 360, 540].map(within180)).toEqual([-170, 170, 0, -180])
  })

  it('is covered by views that leave nothing out', () => {
    const seen = covering(60, 0.6, 0.1).map(({ heading, pitch }) => waysOf(view({ heading, pitch, field: 60, size: [200, 120] })))
    for (let heading = -175; heading < 180; heading += 10) {
      for (let pitch = -85; pitch < 90; pitch += 10) {
        const point: Point = [(heading / 360 + 0.5) * 1440, (0.5 - pitch / 180) * 720]
        const inside = seen.some((one) => {
          const [x, y] = one.ofSource(point)
          return x >= 0 && x <= 200 && y >= 0 && y <= 120
        })
        expect([heading, pitch, inside]).toEqual([heading, pitch, true])
      }
    }
  })

  it('is seen through a product of maps as through one after the other', () => {
    const map = product(turnedBy(20, 10), rays(view()))
    near(seenAt(inverse(map), turned(map, [100, 50, 1])), [100, 50])
  })
})
