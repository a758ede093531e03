import { flushPromises, mount } from '@vue/test-utils'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { reactive } from 'vue'

import { answering, around, choose, held, problem } from '../../testing'
import CheckDeck from './CheckDeck.vue'
import { bench } from '../testing/theBench'

const { sayError } = vi.hoisted(() => ({ sayError: vi.fn() }))
vi.mock('../../common/useSaying', () => ({ useSaying: () => ({ sayError }) }))
vi.mock('../useBench', () => import('../testing/theBench'))

const EMPTY = { creator: '', caption: '', credit: '', copyright: '', keywords: [] as string[] }
const photo = (facts: object = {}, title = 'Front') => ({ photo: { title, facts: { ...EMPTY, ...facts } } })
const HAND_OVERS = 'GET /api/photos/p/hand-overs'
const past = (...all: object[]) => ({
  file_name: 'Race-Mill_01.jpg', ways: [{ id: 'w', name: 'The share', kind: 'folder' }], format: 'JPEG', quality: 100, long_side: 2400,
  past: all.map((one) => ({
    id: 'h', state: 'accepted', revision: 3, asked_at: '2026-10-06T10:00:00Z', file_name: 'a.jpg', reasons: [], progress: 0, bytes: 2_500_000, blob: 'b',
    deliveries: [], ...one,
  })),
})
const THERE = { way: 'w', name: 'The share', kind: 'folder', answers: 'person', state: 'delivered', trouble: '', attempts: 0, reasons: [] }
const ledger = reactive({ photo: 'p', page: null as unknown, revision: 3 })
const frames = reactive({ verdicts: [] as object[] })
const sayFacts = vi.fn()

async function deck(answers: Record<string, unknown>) {
  const asked = answering(answers)
  const made = mount(CheckDeck, { global: around })
  await flushPromises()
  const field = (name: string) => {
    const label = made.findAll('.facts label').find((one) => one.text() === name)
    if (!label) throw new Error(`no field ${name}`)
    return label.get('input')
  }
  const value = (name: string) => (field(name).element as HTMLInputElement).value
  const go = () => made.get('.tools > .p-button:last-child')
  return { made, asked, field, value, go }
}

beforeEach(() => {
  vi.useFakeTimers()
  ledger.page = photo()
  frames.verdicts = []
  sayFacts.mockReset().mockResolvedValue(true)
  Object.assign(bench, { ledger, frames, round: { sayFacts }, view: { around: { sphere: null } } })
})
afterEach(() => {
  vi.useRealTimers()
  vi.unstubAllGlobals()
  sayError.mockReset()
})

describe('words that go with a photo', () => {
  it('are shown as they are kept, and sent whole when one changes', async () => {
    ledger.page = photo({ creator: 'M. Holt', keywords: ['mill', 'wet stone'] })
    const { field, value } = await deck({ [HAND_OVERS]: past() })
    expect([value('title'), value('creator'), value('keywords')]).toEqual(['Front', 'M. Holt', 'mill, wet stone'])
    await field('keywords').setValue(' mill,, race ,')
    await field('keywords').trigger('change')
    expect(sayFacts).toHaveBeenCalledWith('Front', { ...EMPTY, creator: 'M. Holt', keywords: ['mill', 'race'] })
  })

  it('stay as they are typed while others are being saved', async () => {
    const { field, value } = await deck({ [HAND_OVERS]: past() })
    await field('creator').setValue('M. Holt')
    await field('copyright').setValue('© Race Mill')
    // the answer to what was sent before the copyright was typed
    ledger.page = photo({ creator: 'M. Holt' })
    await flushPromises()
    expect([value('creator'), value('copyright')]).toEqual(['M. Holt', '© Race Mill'])
    ledger.page = photo({ creator: 'M. Holt', copyright: '© Race Mill' })
    await flushPromises()
    expect(value('copyright')).toBe('© Race Mill')
  })

  it('follow what came from elsewhere where nothing is typed', async () => {
    const { field, value } = await deck({ [HAND_OVERS]: past() })
    await field('caption').setValue('Dusk')
    ledger.page = photo({ caption: 'Dawn', credit: 'RM' }, 'Weir')
    await flushPromises()
    expect([value('title'), value('caption'), value('credit')]).toEqual(['Weir', 'Dusk', 'RM'])
  })

  it('never leave a photo without a title', async () => {
    const { field } = await deck({ [HAND_OVERS]: past() })
    await field('title').setValue('  ')
    await field('title').trigger('change')
    expect(sayFacts.mock.calls[0]?.[0]).toBe('untitled')
  })
})

describe('handing over', () => {
  it('starts on the revision that is shown, with the sizes that are wanted', async () => {
    const { made, asked, go } = await deck({ [HAND_OVERS]: past(), 'POST /api/photos/p/hand-overs': {} })
    expect(go().text()).toBe('Hand over now')
    await choose(made, 'Further sizes', ['web'])
    await go().trigger('click')
    await flushPromises()
    expect(asked.find((one) => one.method === 'POST')?.body).toEqual({ expected: 3, renditions: ['web'] })
  })

  it('says that lines do not hold, and lets a person do it all the same', async () => {
    frames.verdicts = [{ state: 'short' }, { state: 'holds' }, { state: 'open' }]
    const { made, go } = await deck({ [HAND_OVERS]: past() })
    expect(made.text()).toContain("2 of the slip's lines do not hold yet")
    expect(go().text()).toBe('Hand over all the same')
  })

  it('is followed until the desk has answered, and no longer', async () => {
    const states = ['rendering', 'delivering', 'delivered', 'accepted']
    const { made, asked, go } = await deck({
      [HAND_OVERS]: () => {
        const state = states.length > 1 ? states.shift() : states[0]
        return past({ state, progress: 0.42, deliveries: [{ ...THERE, answers: 'itself', state: state === 'accepted' ? state : 'delivered' }] })
      },
    })
    expect(made.get('[role=progressbar]').attributes('aria-valuenow')).toBe('42')
    expect(go().attributes('disabled')).toBeDefined()
    for (let turn = 0; turn < 10; turn++) await vi.advanceTimersByTimeAsync(350)
    expect(asked).toHaveLength(4)
    expect(made.text()).toContain('The share: accepted')
    expect(go().attributes('disabled')).toBeUndefined()
  })

  it('is followed to its end where the last answer is seen before what it comes to', async () => {
    const states = ['delivered', 'returned']
    const { made } = await deck({
      [HAND_OVERS]: () => past({ state: states.length > 1 ? states.shift() : states[0], deliveries: [{ ...THERE, answers: 'itself', state: 'returned' }] }),
    })
    await vi.advanceTimersByTimeAsync(350)
    expect(made.get('.now .state').text()).toContain('returned')
  })

  it('is followed on when the server was away, which is said once', async () => {
    const moving = { state: 'delivered', deliveries: [{ ...THERE, answers: 'itself' }] }
    const answers = [past(moving), problem(503, 'The database is away.'), problem(503, 'The database is away.'), past({ state: 'accepted' })]
    const { made } = await deck({ [HAND_OVERS]: () => answers.shift() })
    await vi.advanceTimersByTimeAsync(7000)
    expect(answers).toEqual([])
    expect(sayError).toHaveBeenCalledTimes(1)
    expect(made.get('.now .state').text()).toContain('accepted')
  })

  it('waits for a person where the receiver says nothing, and takes the answer', async () => {
    const { made, asked } = await deck({
      [HAND_OVERS]: past({ state: 'delivered', deliveries: [THERE] }), 'PUT /api/hand-overs/h/answers/w': {},
    })
    await vi.advanceTimersByTimeAsync(3000)
    expect(asked).toHaveLength(1)
    expect(made.get('.answer').text()).toContain('What did The share say?')
    await made.findAll('.answer button')[1]?.trigger('click')
    await made.get('.answer textarea').setValue('too dark\n\ntoo small')
    await made.get('.answer').trigger('submit')
    await flushPromises()
    expect(asked.find((one) => one.method === 'PUT')?.body).toEqual({ accepted: false, reasons: ['too dark', 'too small'] })
  })

  it('says what keeps a delivery from its receiver, and how often it was tried', async () => {
    const deliveries = [{ ...THERE, state: 'waiting', trouble: '/mnt/share cannot be written: there is no room left.', attempts: 3 }]
    const { made } = await deck({ [HAND_OVERS]: past({ state: 'delivering', deliveries }) })
    expect(made.get('.delivery').text()).toContain('there is no room left. Tried 3 times, and again by itself.')
  })

  it('cannot be done without a way out', async () => {
    const { made, go } = await deck({ [HAND_OVERS]: { ...past(), ways: [] } })
    expect(made.text()).toContain('No way out yet')
    expect(go().attributes('disabled')).toBeDefined()
  })

  it('says why the desk returned it, what changed since, and how large each file is', async () => {
    const { made } = await deck({ [HAND_OVERS]: past({ state: 'returned', receipt: 'VH-2', reasons: ['too dark'], revision: 2 }) })
    expect(made.get('.reasons').text()).toBe('too dark')
    expect(made.text()).toContain('return VH-2')
    expect(made.text()).toContain('The photo was changed since')
    expect(made.get('.past .size').text()).toBe('2.50 MB')
  })

  it('can be called off while it waits', async () => {
    const { made, asked } = await deck({ [HAND_OVERS]: past({ state: 'waiting' }), 'POST /api/photos/p/hand-overs/h/cancel': {} })
    await made.get('.state button').trigger('click')
    await flushPromises()
    expect(asked.map((one) => one.path)).toContain('/api/photos/p/hand-overs/h/cancel')
  })

  it('can be asked for again after it was refused in words', async () => {
    const wait = held<Response>()
    const { go } = await deck({ [HAND_OVERS]: past(), 'POST /api/photos/p/hand-overs': () => wait.promise })
    await go().trigger('click')
    wait.give(problem(409, 'This photo is being handed over already.'))
    await flushPromises()
    expect(sayError.mock.calls[0]?.[0]).toMatchObject({ status: 409 })
    expect(go().attributes('disabled')).toBeUndefined()
  })
})
