import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'

import { operation, ruler } from '../../testing'
import type { DecksRoom } from './useDecks'
import { changed, useLedger } from './useLedger'

type Answer = { status?: number; body: unknown } | 'nothing'
let asked: { url: string; method: string; body: { expected?: number } }[] = []
let answers: Answer[] = []

const ledger = (revision: number, ops: string[] = []) => ({
  revision, can_undo: true, can_redo: false, summary: 's',
  steps: ops.map((op) => ({ step: { id: op, op, params: {}, enabled: true, strength: 1 }, title: op, station: 'balance' })),
})

/** An answer to a change of revision `before`: its whole list replaced. */
const change = (before: number, revision: number, gone = 0, ops: string[] = []) => {
  const { steps, ...head } = ledger(revision, ops)
  return { ...head, before, splices: gone || steps.length ? [{ at: 0, gone, new: steps }] : [] }
}

beforeEach(() => {
  asked = []
  vi.stubGlobal('fetch', async (request: Request) => {
    const body = request.method === 'GET' ? {} : await request.json()
    asked.push({ url: new URL(request.url).pathname, method: request.method, body })
    const answer = answers.shift() ?? { body: {} }
    if (answer === 'nothing') throw new TypeError('nobody is there')
    return new Response(JSON.stringify(answer.body), { status: answer.status ?? 200, headers: { 'Content-Type': 'application/json' } })
  })
})
afterEach(() => vi.unstubAllGlobals())

const KELVIN = ruler('temperature', { low: 2500, high: 25000, rest: 6507, step: 10, scale: 'reciprocal' })
const OPERATIONS = {
  white_balance: operation('White balance', 'balance', { controls: [KELVIN, ruler('tint')], begun: { temperature: 6507, tint: 0 } }),
  exposure: operation('Exposure', 'balance', { controls: [ruler('ev')], begun: { ev: 0 } }),
  straighten: operation('Straighten', 'frame', { controls: [ruler('angle')] }),
}
const decks = {
  of: (op: keyof typeof OPERATIONS) => OPERATIONS[op],
  ruler: (op: keyof typeof OPERATIONS, param: string) => OPERATIONS[op]?.controls.find((one) => one.param === param),
} as unknown as DecksRoom
const look = vi.fn()

async function opened(first = ledger(1)) {
  const errors: unknown[] = []
  answers = [{ body: { ledger: first, photo: {}, ticket: {}, siblings: [], slip_name: 's' } }]
  const made = useLedger({ photo: 'p', decks, sayError: (error) => errors.push(error), look })
  await made.load()
  return { made, errors }
}
const put = { kind: 'put' as const, step: { id: 'e', op: 'exposure', enabled: true, strength: 1 } }

describe('the ledger of a bench', () => {
  it('saves changes one after the other, each on the revision that the last one made', async () => {
    const { made } = await opened()
    answers = [{ body: change(1, 2) }, { body: change(2, 3) }, { body: change(3, 2) }]
    const all = [made.change('a', [put]), made.change('b', [put]), made.travel('undo')]
    expect(made.saving).toBe(3)
    await Promise.all(all)
    await Promise.resolve()
    expect(asked.slice(1).map((a) => [a.url.split('/').pop(), a.body.expected])).toEqual([['changes', 1], ['changes', 2], ['undo', 3]])
    expect(made.ledger?.revision).toBe(2)
    expect(made.saving).toBe(0)
  })

  it('says what was refused and goes on', async () => {
    const { made, errors } = await opened()
    const page = { ledger: ledger(4), photo: {}, ticket: {}, siblings: [], slip_name: 's' }
    answers = [{ status: 422, body: { title: 'No.', detail: 'Do this.' } }, { body: page }, { body: change(4, 5) }]
    expect(await made.change('a', [put])).toBeNull()
    await made.change('b', [put])
    expect(errors).toMatchObject([{ message: 'No.', hint: 'Do this.', status: 422 }])
    expect(made.ledger?.revision).toBe(5)
  })

  it('keeps what is done while the server is away, and saves it in order when it is back', async () => {
    vi.useFakeTimers()
    const { made, errors } = await opened()
    answers = [{ status: 503, body: { title: 'Away.' } }, 'nothing', 'nothing', { body: change(1, 2) }, { body: change(2, 3) }]
    const all = [made.change('a', [put]), made.change('b', [put])]
    await vi.advanceTimersByTimeAsync(10)
    expect([made.away, made.saving]).toEqual([true, 2])
    await vi.advanceTimersByTimeAsync(60_000)
    await Promise.all(all)
    expect(asked.slice(1).map((a) => a.body.expected)).toEqual([1, 1, 1, 1, 2])
    expect([made.away, made.saving, made.ledger?.revision, errors]).toEqual([false, 0, 3, []])
    vi.useRealTimers()
  })

  it.each([
    ['takes what came through for saved when only the answer was lost', 'a', 0],
    ['says so when another change came in between', 'somebody else', 1],
  ])('%s', async (_, summary, said) => {
    vi.useFakeTimers()
    const { made, errors } = await opened()
    const page = { ledger: { ...ledger(2), summary }, photo: {}, ticket: {}, siblings: [], slip_name: 's' }
    answers = ['nothing', { status: 409, body: { title: 'Changed.' } }, { body: page }, { body: page }]
    const saved = made.change('a', [put])
    await vi.advanceTimersByTimeAsync(60_000)
    expect((await saved)?.revision).toBe(said ? undefined : 2)
    expect([made.ledger?.revision, made.away, errors.length]).toEqual([2, false, said])
    vi.useRealTimers()
  })

  it('shows a change at once, so that the next one starts from it', async () => {
    const { made } = await opened(ledger(1, ['e']))
    answers = [{ body: change(1, 2, 1, ['e']) }]
    const saving = made.change('off', [{ ...put, step: { ...put.step, enabled: false } }])
    expect(made.steps[0]?.step.enabled).toBe(false)
    expect(made.ledger?.revision).toBe(1)
    await saving
    expect(made.ledger?.revision).toBe(2)
  })

  it('makes one step of gestures that follow each other faster than they are saved', async () => {
    const { made } = await opened()
    answers = [{ body: change(1, 2, 0, ['exposure']) }, { body: change(2, 3, 1, ['exposure']) }]
    const first = made.stepFor('exposure', { ev: 0.1 })
    const one = made.putStep('Exposure', first)
    const second = made.stepFor('exposure', { ev: 0.2 })
    const two = made.putStep('Exposure', second)
    expect(second).toEqual({ ...first, params: { ev: 0.2 } })
    await Promise.all([one, two])
    expect(made.stepFor('exposure', { ev: 0.3 }).id).toBe('exposure') // as the server knows it
  })

  it('begins a new step where the one that was coming was refused', async () => {
    const { made } = await opened()
    const page = { ledger: ledger(1), photo: {}, ticket: {}, siblings: [], slip_name: 's' }
    answers = [{ status: 422, body: { title: 'No.' } }, { body: page }]
    const first = made.stepFor('exposure', { ev: 9 })
    await made.putStep('Exposure', first)
    expect(made.stepFor('exposure', { ev: 0.1 }).id).not.toBe(first.id)
  })

  it('shows the newest state when somebody else changed the photo', async () => {
    const { made, errors } = await opened()
    const newer = { ledger: ledger(9, ['crop']), photo: {}, ticket: {}, siblings: [], slip_name: 's' }
    answers = [{ status: 409, body: { title: 'Stale.' } }, { body: newer }]
    await made.change('a', [put])
    expect(errors).toHaveLength(1)
    expect(made.ledger?.revision).toBe(9)
    expect(made.stepOf('crop')?.id).toBe('crop')
  })

  it('remembers how the photo was when it was opened', async () => {
    const { made } = await opened(ledger(1, ['exposure']))
    answers = [{ body: change(1, 2, 1) }]
    await made.change('a', [{ kind: 'remove', id: 'exposure' }])
    expect(made.stepOf('exposure')).toBeNull()
    expect(made.before('exposure')?.id).toBe('exposure')
  })

  it('lays what an answer changes into what was answered before', () => {
    const before = ledger(1, ['a', 'b', 'c'])
    const answer = { ...change(1, 2), splices: [{ at: 3, gone: 0, new: ledger(2, ['d']).steps }, { at: 0, gone: 2, new: ledger(2, ['x']).steps }] }
    expect(changed(before, answer).steps.map((view) => view.step.op)).toEqual(['x', 'c', 'd'])
    expect(before.steps).toHaveLength(3)
  })

  it('fetches the whole when an answer is about another revision than the one here', async () => {
    const { made } = await opened(ledger(1, ['e']))
    const newer = { ledger: ledger(9, ['crop']), photo: {}, ticket: {}, siblings: [], slip_name: 's' }
    answers = [{ body: change(8, 9) }, { body: newer }]
    await made.change('a', [put])
    expect(made.ledger?.steps.map((view) => view.step.op)).toEqual(['crop'])
  })

  it('shows a step under the hand quickly, and what is saved finely', async () => {
    const { made } = await opened()
    look.mockClear()
    made.drag(put.step)
    expect(made.draft?.id).toBe('e')
    answers = [{ body: change(1, 2) }]
    await made.putStep('a', put.step)
    expect(made.draft).toBeNull()
    expect(look.mock.calls).toEqual([[false], [true]])
  })

  it('makes a step with every ruler of its operation at rest', async () => {
    const { made } = await opened(ledger(1, ['exposure']))
    expect(made.stepFor('white_balance', { tint: 3 })).toMatchObject({ op: 'white_balance', params: { temperature: 6507, tint: 3 } })
    expect(made.stepFor('exposure', { ev: 1 })).toMatchObject({ id: 'exposure', params: { ev: 1 } })
  })

  it('takes a share of what is proposed along each ruler, for light in mired, and nothing of the frame', async () => {
    const { made } = await opened()
    answers = [{ body: { white_balance: { temperature: 4000, tint: 10 }, straighten: { angle: 2 } } }, { body: change(1, 2) }]
    await made.propose()
    expect(made.proposed.map(([op]) => op)).toEqual(['white_balance'])
    await made.takeProposals(0.5)
    const { changes } = asked.at(-1)?.body as unknown as { changes: { step: { params: Record<string, number> } }[] }
    const half = 1e6 / ((1e6 / 6507 + 1e6 / 4000) / 2)
    expect(changes).toHaveLength(1)
    expect(changes[0]?.step.params.temperature).toBeCloseTo(half, 3)
    expect(changes[0]?.step.params.tint).toBeCloseTo(5)
  })
})
