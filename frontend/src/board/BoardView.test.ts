import { flushPromises, mount, RouterLinkStub } from '@vue/test-utils'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'

import { useSession } from '../common/useSession'
import { answering, around, choose, held, problem, type Asked } from '../testing'
import BoardView from './BoardView.vue'

const { sayError } = vi.hoisted(() => ({ sayError: vi.fn() }))
const { route } = vi.hoisted(() => ({ route: { query: {} as Record<string, unknown> } }))
vi.mock('vue-router', () => ({ useRoute: () => route, useRouter: () => ({ push: vi.fn() }) }))
vi.mock('../common/useSaying', () => ({ useSaying: () => ({ sayError, say: vi.fn() }) }))

const ticket = (number: string, more: object = {}) => ({
  id: number, number, title: `Title ${number}`, client: 'Race Mill', kind: 'property', due_at: '2026-10-06T10:00:00Z', photos: 2,
  stages: ['accepted', 'waiting'], thumbnails: ['p1'], notes: 0, editors: [], state: 'open', ...more,
})
const page = (total: number, ...tickets: object[]) => ({ tickets, total, open: 4, pressing: 1, little_room: null as number | null })
let queries: Record<string, string>[] = []

let asked: Asked[] = []

async function board(answer: (query: Record<string, string>) => unknown, answers: Record<string, unknown> = {}) {
  queries = []
  asked = answering({ 'GET /api/people-at-work': [], ...answers })
  const plain = globalThis.fetch
  vi.stubGlobal('fetch', async (request: Request) => {
    const url = new URL(request.url)
    if (url.pathname !== '/api/tickets') return plain(request)
    const query = Object.fromEntries(url.searchParams)
    queries.push(query)
    const said = await answer(query)
    return said instanceof Response ? said : new Response(JSON.stringify(said), { headers: { 'Content-Type': 'application/json' } })
  })
  const stubs = {
    PageHead: { props: ['under'], template: '<header>{{ under }}<slot /></header>' }, RouterLink: RouterLinkStub,
    TicketTag: { props: ['number'], template: '<i>{{ number }}</i>' },
  }
  const made = mount(BoardView, { global: { ...around, stubs } })
  await flushPromises()
  return made
}
const typed = async () => {
  await vi.advanceTimersByTimeAsync(200)
  await flushPromises()
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

describe('the board', () => {
  it('says when the disk fills up', async () => {
    expect((await board(() => page(1, ticket('FT-1')))).text()).not.toContain('free on the disk')
    const made = await board(() => ({ ...page(1, ticket('FT-1')), little_room: 3.14e9 }))
    expect(made.text()).toContain('Only 3.1 GB are free on the disk of the data folder.')
  })

  it('shows what is open by due time, with what each ticket waits for', async () => {
    const made = await board(() => page(1, ticket('FT-1', { notes: 2 })))
    expect(queries).toEqual([{ words: '', stage: 'open', sort: 'due', offset: '0', limit: '40' }])
    expect(made.get('header').text()).toContain('4 open, 1 due today')
    expect(made.get('.ask [role=status]').text()).toBe('1 ticket')
    expect(made.get('.stub').text()).toContain('2 notes')
    expect(made.get('.progress').text()).toBe('1 of 2 accepted')
    expect(made.get('.standing').text()).toBe('1 still waiting')
    expect(made.findAllComponents(RouterLinkStub).map((link) => link.props('to'))).toContain('/tickets/FT-1')
  })

  it('asks once for what was typed, when the hand rests', async () => {
    const made = await board(() => page(0))
    for (const words of ['m', 'mi', ' mill ']) await made.get('input[type=search]').setValue(words)
    await typed()
    expect(queries.slice(1).map((query) => query.words)).toEqual(['mill'])
  })

  it('asks by kind, stage and order, and leaves out what is any', async () => {
    const made = await board(() => page(0))
    await choose(made, 'Kind', 'food')
    await choose(made, 'With photos', null)
    await choose(made, 'Order', 'client')
    await typed()
    expect(queries.at(-1)).toEqual({ words: '', kind: 'food', sort: 'client', offset: '0', limit: '40' })
  })

  it('shows the answer to the newest question, whichever comes last', async () => {
    const slow = held<unknown>()
    const made = await board((query) => (query.words === 'a' ? slow.promise : page(1, ticket(query.words === 'ab' ? 'NEW' : 'FIRST'))))
    await made.get('input[type=search]').setValue('a')
    await typed()
    await made.get('input[type=search]').setValue('ab')
    await typed()
    slow.give(page(1, ticket('OLD')))
    await flushPromises()
    expect(made.get('.stub i').text()).toBe('NEW')
  })

  it('turns pages, and begins again with the first for another question', async () => {
    const made = await board((query) => page(90, ticket(`FT-${query.offset}`)))
    await made.get('.p-paginator-next').trigger('click')
    await flushPromises()
    expect(queries.at(-1)?.offset).toBe('40')
    expect(made.get('.stub > i').text()).toBe('FT-40')
    await choose(made, 'Kind', 'food')
    await typed()
    expect(queries.at(-1)?.offset).toBe('0')
    expect((await board(() => page(3, ticket('FT-1')))).find('.p-paginator').exists()).toBe(false)
  })

  it('says where the tickets that are done have gone', async () => {
    const made = await board(() => page(0))
    expect(made.get('.empty').text()).toContain('Those that are done are under')
  })

  it('says so when they cannot be loaded, and tries again', async () => {
    let away = true
    const made = await board(() => (away ? problem(503, 'Away.') : page(1, ticket('FT-1'))))
    expect(made.get('.p-message').text()).toContain('could not be loaded')
    expect(sayError).toHaveBeenCalledTimes(1)
    away = false
    await made.get('.p-message button').trigger('click')
    await flushPromises()
    expect(made.findAll('.stub')).toHaveLength(1)
  })

  it('leads to people, bin and studio, and makes tickets, only for those who lead', async () => {
    const links = (made: Awaited<ReturnType<typeof board>>) => made.findAll('header a').length
    const lead = await board(() => page(1, ticket('FT-1')))
    expect([links(lead), lead.text().includes('New ticket')]).toEqual([6, true])
    useSession().person.value = { name: 'Jonas', role: 'editor' } as never
    const editor = await board(() => page(1, ticket('FT-1')))
    expect([links(editor), editor.text().includes('New ticket')]).toEqual([3, false])
  })

  it('says who works on a ticket, what is on hold, and asks for what is mine and of one client', async () => {
    const made = await board(() => page(1, ticket('FT-1', { editors: ['Jonas'], state: 'on_hold' })))
    expect(made.get('.stub').text()).toContain('· Jonas')
    expect(made.get('.standing').text()).toBe('on hold')
    await made.get('button.p-togglebutton').trigger('click')
    await typed()
    expect(queries.at(-1)?.mine).toBe('true')
    route.query = { client: 'c1' }
    await board(() => page(0))
    expect(queries.at(-1)?.client).toBe('c1')
    route.query = {}
  })

  it('is assigned by drag or by number, and taken off the same way', async () => {
    const made = await board(() => page(1, ticket('FT-1')), {
      'GET /api/people-at-work': [{ id: 'a', name: 'Ada', tickets: 0, next_due: null }, { id: 'j', name: 'Jonas', tickets: 2, next_due: null }],
      'GET /api/tickets/FT-1': { editors: [{ id: 'j' }] }, 'PUT /api/tickets/FT-1/editors': [],
    })
    const sent = () => asked.filter((one) => one.method === 'PUT').map((one) => one.body)
    await made.findAll('.person')[0]?.trigger('dragstart')
    await made.get('.stub').trigger('drop')
    await flushPromises()
    expect(sent()).toEqual([{ editors: ['j', 'a'] }])
    await made.get('.stub').trigger('keydown', { key: '2' })
    await flushPromises()
    expect(sent().at(-1)).toEqual({ editors: [] })
  })

  it('says what to do next where there is nothing at all', async () => {
    const made = await board(() => ({ tickets: [], total: 0, open: 0, pressing: 0 }))
    expect(made.get('.empty').text()).toContain('Drop photos, a folder or an order file here')
    expect(made.get('.empty').findAll('a')).toHaveLength(3)
  })
})
