import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { reactive } from 'vue'

import type { Schemas } from '../../api/client'
import { answering, held, problem, within } from '../../testing'
import type { LedgerRoom } from './useLedger'
import { useRound } from './useRound'

const ledger = reactive({ photo: 'p', revision: 7, page: null as Schemas['BenchPage'] | null })
const measureAgain = vi.fn()
const sayError = vi.fn()
const lease = (mine: boolean) => ({ mine, lease: mine ? null : { name: 'Jonas', since: '2026-10-06T10:00:00Z' } })
const note = { id: 'n', text: 'the bin', done: false }

function round() {
  return within(() => useRound({ ledger: ledger as unknown as LedgerRoom, measureAgain, sayError }))
}
const settle = () => vi.advanceTimersByTimeAsync(1)

beforeEach(() => {
  vi.useFakeTimers()
  navigator.sendBeacon = vi.fn(() => true)
  ledger.page = { photo: { title: 'Front', width: 400, height: 200, facts: {} }, notes: [] } as unknown as Schemas['BenchPage']
})
afterEach(() => {
  vi.useRealTimers()
  vi.unstubAllGlobals()
  vi.clearAllMocks()
})

describe('the round of a photo', () => {
  it('leases it, renews the lease while the page is open, and gives it back', async () => {
    const asked = answering({ 'PUT /api/photos/p/lease': lease(true) })
    const { made, end } = round()
    await vi.advanceTimersByTimeAsync(81_000)
    expect(asked).toHaveLength(3)
    expect(new Set(asked.map((one) => (one.body as { page: string }).page)).size).toBe(1)
    expect(made.heldBy).toBeNull()
    end()
    expect(navigator.sendBeacon).toHaveBeenCalledWith('/api/photos/p/lease/end', expect.any(Blob))
    await vi.advanceTimersByTimeAsync(200_000)
    expect(asked).toHaveLength(3)
  })

  it('says on whose bench it is, and takes it over when that one leaves', async () => {
    let mine = false
    answering({ 'PUT /api/photos/p/lease': () => lease(mine) })
    const { made, end } = round()
    await settle()
    expect(made.heldBy?.name).toBe('Jonas')
    mine = true
    await vi.advanceTimersByTimeAsync(40_000)
    expect(made.heldBy).toBeNull()
    end()
  })

  it('pins a note at its share of the picture, kept within it, and without a place where none is marked', async () => {
    const asked = answering({ 'PUT /api/photos/p/lease': lease(true), 'POST /api/photos/p/notes': [note] })
    const { made, end } = round()
    await made.addNote('everywhere')
    made.pinAt = [100, 500]
    await made.addNote('the bin')
    expect(asked.filter((one) => one.path.endsWith('notes')).map((one) => one.body)).toEqual([
      { text: 'everywhere' },
      { text: 'the bin', x: 0.25, y: 1 },
    ])
    expect(made.notes).toEqual([note])
    expect(made.pinAt).toBeNull()
    end()
  })

  it('keeps the pin and says why when a note is refused', async () => {
    answering({ 'PUT /api/photos/p/lease': lease(true), 'POST /api/photos/p/notes': () => problem(422, 'Too long.') })
    const { made, end } = round()
    made.pinAt = [1, 1]
    await made.addNote('x'.repeat(5000))
    expect(made.pinAt).toEqual([1, 1])
    expect(sayError.mock.calls[0]?.[0]).toMatchObject({ message: 'Too long.', status: 422 })
    end()
  })

  it('ticks a line on the revision that is shown, then measures again', async () => {
    const asked = answering({ 'PUT /api/photos/p/lease': lease(true), 'PUT /api/photos/p/ticks': {} })
    const { made, end } = round()
    await made.tick('no house number', true)
    expect(asked.at(-1)?.body).toEqual({ words: 'no house number', ticked: true, expected: 7 })
    expect(measureAgain).toHaveBeenCalledTimes(1)
    end()
  })

  it('shows what was said of the photo once it is kept, and not when it is refused', async () => {
    let answer: unknown = {}
    answering({ 'PUT /api/photos/p/lease': lease(true), 'PUT /api/photos/p/facts': () => answer })
    const { made, end } = round()
    const facts = { creator: 'M. Holt' } as unknown as Schemas['Facts']
    await made.sayFacts('Dusk', facts)
    expect(ledger.page?.photo).toMatchObject({ title: 'Dusk', facts, width: 400 })
    answer = problem(409, 'On another bench.')
    await made.sayFacts('Dawn', facts)
    expect(ledger.page?.photo.title).toBe('Dusk')
    expect(measureAgain).toHaveBeenCalledTimes(1)
    end()
  })

  it('keeps words one after the other: an earlier saying never undoes a later one', async () => {
    const first = held<object>()
    let answer: unknown = first.promise
    const asked = answering({ 'PUT /api/photos/p/lease': lease(true), 'PUT /api/photos/p/facts': () => answer })
    const { made, end } = round()
    const said = ['', '© Race Mill'].map((copyright) => made.sayFacts('Dusk', { copyright } as unknown as Schemas['Facts']))
    await vi.waitFor(() => expect(asked.filter((one) => one.path.endsWith('/facts'))).toHaveLength(1))
    answer = {}
    first.give({})
    await Promise.all(said)
    expect(asked.filter((one) => one.path.endsWith('/facts'))).toHaveLength(2)
    expect(ledger.page?.photo.facts).toEqual({ copyright: '© Race Mill' })
    end()
  })
})
