import { describe, expect, it } from 'vitest'

import type { Point } from './geometry'
import { through } from './pchip'

describe('the drawn curve', () => {
  // values of scipy.interpolate.PchipInterpolator 1.16, which the server uses
  const points: Point[] = [[0, 0], [0.2, 0.1], [0.5, 0.65], [0.8, 0.7], [1, 1]]
  it.each([[0.1, 0.03107798165], [0.35, 0.39192469419], [0.6, 0.66950095636], [0.9, 0.80708920188]])('runs where the server computes it: %f', (x, y) => {
    expect(through(points, x)).toBeCloseTo(y, 9)
  })
  it('is level beyond its ends', () => {
    expect(through([[0.1, 0.2], [0.9, 0.8]], 0)).toBe(0.2)
    expect(through([[0.1, 0.2], [0.9, 0.8]], 1)).toBe(0.8)
  })
  it('is straight without points', () => {
    expect(through([], 0.3)).toBe(0.3)
  })
})
