import { flushPromises, mount, RouterLinkStub } from '@vue/test-utils'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'

import Menu from 'primevue/menu'
import MultiSelect from 'primevue/multiselect'

import { useSession } from '../common/useSession'
import { answering, around, choose, problem } from '../testing'
import TicketView from './TicketView.vue'

const { sayError, say, asking } = vi.hoisted(() => ({ sayError: vi.fn(), say: vi.fn(), asking: vi.fn() }))
vi.mock('../common/useSaying', () => ({ useSaying: () => ({ sayError, say }) }))
vi.mock('vue-router', () => ({ useRouter: () => ({ push: vi.fn() }) }))
vi.mock('../common/useAsking', () => ({ useAsking: () => asking }))

const photo = (id: string, more: object = {}) => ({
  id, title: id, position: 1, state: 'ready', stage: 'waiting', steps: 0, head: 1, width: 400, height: 300,
  remarks: [], open_notes: 0, note: '', blob: `b-${id}`, ...more,
})
const PAGE = {
  ticket: {
    number: 'FT-1', title: 'Mill', client: 'Race Mill', brief: 'Keep it calm.', due_at: '2026-10-06T10:00:00Z', slip_version: 2,
    state: 'open', reason: '', requests: [], kind: 'property',
  },
  slip_name: 'Homes', asks: [{ what: 'level', asks: '≤ 0.4°' }, { what: 'no number', asks: 'no number' }],
  photos: [photo('p')], checks: [], checking: [], series: [], events: [], editors: [], ways: [], taste: '',
}
const NOTHING = {
  'GET /api/people-at-work': [], 'GET /api/ways': [{ id: 'w', name: 'The share', kind: 'folder' }], 'GET /api/tickets/FT-1/links': [],
  'GET /api/tickets/FT-1/hours': { rows: [], minutes: 0 },
}
const SLIPS = [{ id: 'old', version: 2, slip: { name: 'Homes', lines: [] } }, { id: 'new', version: 3, slip: { name: 'Homes', lines: [] } }]

async function ticket(more: object = {}, answers: Record<string, unknown> = {}) {
  const asked = answering({ 'GET /api/tickets/FT-1': { ...PAGE, ...more }, 'GET /api/welcome': {}, 'GET /api/slips': SLIPS, ...NOTHING, ...answers })
  const stubs = { PageHead: { template: '<header><slot /></header>' }, RouterLink: RouterLinkStub }
  const made = mount(TicketView, { props: { number: 'FT-1' }, global: { ...around, stubs } })
  await flushPromises()
  const button = (words: string) => {
    const found = made.findAll('button').find((one) => one.text() === words)
    if (!found) throw new Error(`no button ${words}`)
    return found
  }
  return { made, asked, button }
}

beforeEach(() => {
  vi.useFakeTimers()
  useSession().person.value = { name: 'Mara', role: 'lead' } as never
})
afterEach(() => {
  vi.useRealTimers()
  vi.unstubAllGlobals()
  vi.clearAllMocks()
})

describe('a ticket', () => {
  it('says what is asked, and shows its photos with how each stands', async () => {
    const { made } = await ticket({
      photos: [photo('p', { stage: 'bench', steps: 2, open_notes: 1 }), photo('q', { stage: 'returned', reasons: ['too dark'] })],
      checks: [{ photo: 'p', holds: false, short: ['level: 1°'] }],
    })
    expect(made.get('.brief').text()).toBe('Keep it calm.')
    expect(made.findAll('.paper .row').map((one) => one.text()).slice(3, 5)).toEqual(['level≤ 0.4°', 'by eyeno number'])
    expect(made.findAll('.standing').map((one) => one.text())).toEqual(['on the bench, 2 steps · 1 open note', 'returned'])
    expect(made.findAll('.photo ul').map((one) => one.text())).toEqual(['level: 1°', 'too dark'])
  })

  it('goes by another slip only for those who lead', async () => {
    const changes = [{ kind: 'changed', what: 'level', before: '≤ 0.4°', after: '≤ 0.3°' }]
    const { made, asked, button } = await ticket({}, {
      'PUT /api/tickets/FT-1/slip': {}, 'GET /api/tickets/FT-1/slip/changes/new': changes,
    })
    await choose(made, 'The slip it goes by', 'new')
    await flushPromises()
    expect(made.get('.changes').text()).toContain('level ≤ 0.4° becomes ≤ 0.3°')
    expect(asked.some((one) => one.method === 'PUT')).toBe(false)
    await button('Go by it').trigger('click')
    await flushPromises()
    expect(asked.find((one) => one.method === 'PUT')?.body).toEqual({ slip: 'new' })
    useSession().person.value = { name: 'Jonas', role: 'editor' } as never
    expect((await ticket()).made.find('[role=combobox]').exists()).toBe(false)
  })

  it('checks and hands over what is ready, with the sizes that are wanted', async () => {
    const photos = [photo('p', { stage: 'checked', steps: 1 }), photo('q', { stage: 'bench', steps: 1 })]
    const { made, asked, button } = await ticket({ photos }, {
      'POST /api/tickets/FT-1/check': 2, 'POST /api/tickets/FT-1/hand-overs': { started: 1, left_out: ['q: not checked'] },
    })
    await button('Check all').trigger('click')
    await flushPromises()
    await made.get('input[value=web]').setValue(true)
    await button('Hand over 1 checked').trigger('click')
    await flushPromises()
    expect(asked.find((one) => one.path.endsWith('hand-overs'))?.body).toEqual({ photos: 'checked', renditions: ['web'] })
    expect(say.mock.calls.map(([words]) => words as string)).toEqual([
      '2 photos are being checked against the slip.', '1 photos are on their way. Left out: q: not checked.',
    ])
  })

  it('is looked at again while something moves, and no longer', async () => {
    let state = 'preparing'
    const { asked } = await ticket({}, { 'GET /api/tickets/FT-1': () => ({ ...PAGE, photos: [photo('p', { state })] }) })
    const looks = () => asked.filter((one) => one.path === '/api/tickets/FT-1').length
    await vi.advanceTimersByTimeAsync(1700)
    expect(looks()).toBe(3)
    state = 'ready'
    await vi.advanceTimersByTimeAsync(5000)
    expect(looks()).toBe(4)
  })

  it('merges a series into its middle frame, unless that was worked on', async () => {
    const photos = ['a', 'b', 'c'].map((id) => photo(id))
    const { asked, button } = await ticket({ photos, series: [['a', 'b', 'c']] }, { 'POST /api/photos/b/changes': {} })
    await button('Merge into “b”').trigger('click')
    await flushPromises()
    const body = asked.find((one) => one.method === 'POST')?.body as { changes: { step: { params: { frames: { picture: string }[] } } }[] }
    expect(body.changes[0]?.step.params.frames.map((frame) => frame.picture)).toEqual(['b-a', 'b-c'])
    const worked = [photo('a'), photo('b', { steps: 1 }), photo('c')]
    expect((await ticket({ photos: worked, series: [['a', 'b', 'c']] })).made.text()).not.toContain('look like a bracketed series')
  })

  it('counts what is delivered, and says of material that it is not', async () => {
    const photos = [photo('a', { stage: 'checked', steps: 2 }), photo('sky', { stage: 'checked', steps: 1, material: true })]
    const { made, asked } = await ticket({ photos }, { 'PATCH /api/photos/sky': null, 'PATCH /api/photos/a': null })
    expect(made.text()).toContain('1 photos, 1 material')
    const cards = () => made.findAll('.card').map((one) => one.isVisible())
    expect(cards()).toEqual([true, true])
    await made.get('[aria-label="Hide what is material"]').trigger('click')
    expect(cards()).toEqual([true, false])
    expect(made.text()).toContain('Hand over 1 checked')
    expect(made.findAll('.standing').map((one) => one.text())).toEqual(['checked', 'material, not delivered'])
    for (const [title, label] of [['a', 'Material, not delivered'], ['sky', 'To be delivered again']] as const) {
      await made.get(`[aria-label="What can be done with ${title}"]`).trigger('click')
      const offered = made.findAllComponents(Menu).flatMap((menu) => menu.props('model') ?? [])
      offered.find((one) => one.label === label)?.command?.({} as never)
      await flushPromises()
    }
    expect(asked.filter((one) => one.method === 'PATCH').map((one) => [one.path, one.body])).toEqual([
      ['/api/photos/a', { material: true }], ['/api/photos/sky', { material: false }],
    ])
  })

  it('merges several series at once, or one by one, and goes on where one cannot be', async () => {
    const photos = ['a', 'b', 'c', 'd', 'e', 'f'].map((id, at) => photo(id, { position: at + 1 }))
    const series = [['d', 'e', 'f'], ['a', 'b', 'c']]
    const answers = { 'POST /api/photos/b/changes': {}, 'POST /api/photos/e/changes': () => problem(409, 'Mara has it on her bench.') }
    const { asked, button, made } = await ticket({ photos, series }, answers)
    expect(made.text()).not.toContain('Merge into')
    await button('one by one').trigger('click')
    expect(made.findAll('button').map((one) => one.text()).filter((text) => text.startsWith('Merge into'))).toEqual(['Merge into “b”', 'Merge into “e”'])
    await button('Merge all 2').trigger('click')
    await flushPromises()
    expect(asked.filter((one) => one.method === 'POST').map((one) => one.path)).toEqual(['/api/photos/b/changes', '/api/photos/e/changes'])
    expect(say.mock.calls.at(-1)?.[0]).toMatch(/^1 series .*Left out: e: Mara has it/)
    // a frame of another series is nothing to merge into
    const used = photos.map((one) => (one.id === 'e' ? { ...one, material: true } : one))
    expect((await ticket({ photos: used, series })).made.text()).not.toContain('bracketed series by')
  })

  it('takes a refused file off only when that was meant', async () => {
    const { button, asked } = await ticket({ photos: [photo('p', { state: 'refused', problem: 'No picture.' })] }, { 'DELETE /api/photos/p': {} })
    await button('Take off').trigger('click')
    expect(asked.some((one) => one.method === 'DELETE')).toBe(false)
    await (asking.mock.calls[0]?.[3] as () => Promise<void>)()
    expect(asked.some((one) => one.method === 'DELETE')).toBe(true)
  })

  it('tries a refused file once more', async () => {
    const { button, asked } = await ticket(
      { photos: [photo('p', { state: 'refused', problem: 'No room left.' })] }, { 'POST /api/photos/p/preparation': {} },
    )
    await button('Try again').trigger('click')
    await flushPromises()
    expect(asked.some((one) => one.method === 'POST' && one.path.endsWith('/p/preparation'))).toBe(true)
  })

  it('makes a link for the client, to be copied', async () => {
    const { made, button } = await ticket({}, { 'POST /api/tickets/FT-1/links/proofs': { path: '/proofs/x' } })
    const link = `${location.origin}/proofs/x`
    const make = async () => {
      await button('for proofs').trigger('click')
      await flushPromises()
      return made.get('.link-field + .small').text()
    }
    expect(await make()).toContain('Copy it from here.')
    expect((made.get('.link-field').element as HTMLInputElement).value).toBe(link)
    const writeText = vi.fn(() => Promise.resolve())
    vi.stubGlobal('navigator', { clipboard: { writeText } })
    expect(await make()).toContain('Copied.')
    expect(writeText).toHaveBeenCalledWith(link)
  })

  it('says who works on it and where it goes, and lets those who lead change both', async () => {
    const { made, asked } = await ticket({ ways: [{ id: 'w', name: 'The share', kind: 'folder' }] }, { 'PUT /api/tickets/FT-1/ways': [] })
    const goes = made.findAllComponents(MultiSelect).find((one) => one.props('placeholder') === 'no way out yet')
    expect(goes?.props('modelValue')).toEqual(['w'])
    goes?.vm.$emit('update:modelValue', [])
    await flushPromises()
    expect(asked.find((one) => one.method === 'PUT')?.body).toEqual({ ways: [] })
    useSession().person.value = { name: 'Jonas', role: 'editor' } as never
    expect((await ticket({ ways: [{ id: 'w', name: 'The share', kind: 'folder' }] })).made.get('.paper').text()).toContain('goes toThe share')
  })

  it('puts its photos in another order, by drag or by the menu', async () => {
    const photos = ['a', 'b', 'c'].map((id) => photo(id))
    const { made, asked } = await ticket({ photos }, { 'PUT /api/tickets/FT-1/photos/order': {} })
    const cards = made.findAll('.card')
    await cards[2]?.trigger('dragstart')
    await cards[0]?.trigger('drop')
    await flushPromises()
    expect(asked.find((one) => one.method === 'PUT')?.body).toEqual({ photos: ['c', 'a', 'b'] })
  })

  it('is closed for handing over while it is on hold, and says why', async () => {
    const held = { ...PAGE.ticket, state: 'on_hold', reason: 'no answer' }
    const { made, button } = await ticket({ ticket: held, photos: [photo('p', { stage: 'checked', steps: 1 })] })
    expect(made.get('.state').text()).toBe('On hold: no answer')
    expect(button('Hand over 1 checked').attributes('disabled')).toBeDefined()
  })

  it('says so when it cannot be loaded, and tries again', async () => {
    let away = true
    const { made, button } = await ticket({}, { 'GET /api/tickets/FT-1': () => (away ? problem(503, 'Away.') : PAGE) })
    expect(made.text()).toContain('could not be loaded')
    away = false
    await button('Try again').trigger('click')
    await flushPromises()
    expect(made.find('.brief').exists()).toBe(true)
  })
})
