import { describe, expect, it } from 'vitest'

import { dueText, isPressing, moment } from './due'

const noon = new Date(2026, 9, 6, 12, 0)
const at = (day: number, hour: number) => new Date(2026, 9, day, hour, 30).toISOString()

describe('when a ticket is due', () => {
  it.each([
    [at(6, 9), 'today 09:30'],
    [at(6, 23), 'today 23:30'],
    [at(7, 0), 'tomorrow 00:30'],
    [at(8, 9), 'Thu 8 Oct'],
    [at(5, 9), 'Mon 5 Oct'],
  ])('%s is said as %s', (due, said) => expect(dueText(due, noon).replace(',', '')).toBe(said))

  it('counts days, not hours: the night before midnight is still today', () => {
    const late = new Date(2026, 9, 6, 23, 59)
    expect(dueText(at(7, 0), late)).toBe('tomorrow 00:30')
    expect(isPressing(at(6, 23), new Date(2026, 9, 6, 0, 1))).toBe(true)
  })

  it('presses today and when it is late, not before', () => {
    expect([at(5, 9), at(6, 20), at(7, 9)].map((due) => isPressing(due, noon))).toEqual([true, true, false])
  })

  it('says the time of what happened today, and the day of what did not', () => {
    expect(moment(at(6, 9), noon)).toBe('09:30')
    expect(moment(at(4, 9), noon)).toBe('4.10. 09:30')
  })
})
