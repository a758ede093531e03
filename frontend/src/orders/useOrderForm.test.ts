import { describe, expect, it } from 'vitest'

import { requestLines, requestsOf, usualDue } from './useOrderForm'

describe('requests of single photos', () => {
  it('are written a line each, and lines that are none are left', () => {
    const text = 'front: level it\n\nno colon here\n hall :  take the bucket out: all of it '
    const found = [{ photo: 'front', request: 'level it' }, { photo: 'hall', request: 'take the bucket out: all of it' }]
    expect(requestsOf(text)).toEqual(found)
    expect(requestsOf(requestLines(found))).toEqual(found)
  })
})

it('most orders are due at the end of the working day three days on', () => {
  const due = usualDue(new Date(2027, 1, 27, 9, 30))
  expect([due.getFullYear(), due.getMonth(), due.getDate(), due.getHours(), due.getMinutes()]).toEqual([2027, 2, 2, 17, 0])
})
