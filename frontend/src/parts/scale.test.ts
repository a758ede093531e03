import { describe, expect, it } from 'vitest'

import { ruler } from '../testing'
import { digitsOf, linear, logarithmic, reciprocal, scaleOf, shownIn, shownOf, stepped, valueOf } from './scale'

describe('scales', () => {
  it.each([
    ['linear', linear(-4, 4), 1.5],
    ['reciprocal', reciprocal(2000, 20000), 5480],
    ['logarithmic', logarithmic(2, 2000), 60],
  ])('%s goes there and back', (_, scale, value) => {
    expect(scale.toValue(scale.toPlace(value))).toBeCloseTo(value, 6)
  })
  it('reciprocal gives warm light more room than cold', () => {
    const scale = reciprocal(2000, 20000)
    expect(scale.toPlace(4000) - scale.toPlace(3000)).toBeGreaterThan(scale.toPlace(16000) - scale.toPlace(15000))
  })
})

describe('a ruler as it is declared', () => {
  const softness = ruler('hardness', { times: -100, plus: 100, low: 0, high: 100, rest: 30 })

  it('shows a parameter in its own words, and takes it back', () => {
    expect(shownOf(softness, 0.7)).toBe(30)
    expect(valueOf(softness, 30)).toBe(0.7)
  })
  it('shows what the parameters say, and nothing where they do not', () => {
    const flow = ruler('flow', { times: 100 })
    expect([{ flow: 0.4 }, {}, { flow: null }, undefined].map((params) => shownIn(flow, params))).toEqual([40, undefined, undefined, undefined])
  })
  it('moves in whole steps from where it rests, between its ends', () => {
    const kelvin = ruler('temperature', { low: 2500, high: 25000, rest: 6507, step: 10 })
    expect([6511, 6512.1, 1, 99999].map((value) => stepped(kelvin, value))).toEqual([6507, 6517, 2500, 25000])
  })
  it('has as many places as its steps need', () => {
    expect([1, 0.5, 0.1, 0.05, 10].map((step) => digitsOf(ruler('x', { step })))).toEqual([0, 1, 1, 2, 0])
  })
  it('lies along its scale', () => {
    expect(scaleOf(ruler('x', { low: 2, high: 2000, scale: 'logarithmic' })).toPlace(2000)).toBeCloseTo(1)
    expect(scaleOf(ruler('x', { low: 2, high: 2000 })).toPlace(1001)).toBeCloseTo(0.5)
  })
})
