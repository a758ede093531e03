import { describe, expect, it } from 'vitest'

import { dueText } from './due'
import { linear, logarithmic, mired } from './scale'

describe('scales', () => {
  it.each([
    ['linear', linear(-4, 4), 1.5],
    ['mired', mired(2000, 20000), 5480],
    ['logarithmic', logarithmic(2, 2000), 60],
  ])('%s goes there and back', (_, scale, value) => {
    expect(scale.toValue(scale.toPlace(value))).toBeCloseTo(value, 6)
  })
  it('mired gives warm light more room than cold', () => {
    const scale = mired(2000, 20000)
    expect(scale.toPlace(4000) - scale.toPlace(3000)).toBeGreaterThan(scale.toPlace(16000) - scale.toPlace(15000))
  })
})

describe('due', () => {
  const now = new Date('2026-11-25T23:30:00')
  it('counts days by the calendar, not by hours', () => {
    expect(dueText('2026-11-26T00:30:00', now)).toBe('tomorrow 00:30')
    expect(dueText('2026-11-25T09:00:00', now)).toBe('today 09:00')
  })
})
