import { flushPromises, mount } from '@vue/test-utils'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'

import { useSession } from '../common/useSession'
import { answering, around, problem } from '../testing'
import ClientsView from './ClientsView.vue'

const { sayError, say } = vi.hoisted(() => ({ sayError: vi.fn(), say: vi.fn() }))
vi.mock('../common/useSaying', () => ({ useSaying: () => ({ sayError, say }) }))

const WORDS = { creator: '', credit: '', copyright: '', contact: '', terms: '' }
const TOLD = { name: 'Race Mill', contact: '', slip: 'Homes', name_pattern: '', taste: 'calm', way: null, words: WORDS }
const MILL = { id: 'm', ...TOLD }
const ROW = { ...MILL, open: 1, tickets: 3, latest: null, total: 1 }
const PAGE = {
  client: MILL, months: [{ month: '2026-10', photos: 12, accepted: 9, returned: 2, minutes: 150 }],
  returns: [{ id: 'r', number: 'FT-1', photo: 'Front', reasons: ['Too dark.'], ended_at: '2026-10-06T10:00:00Z' }],
}

async function clients(answers: Record<string, unknown> = {}) {
  const asked = answering({
    'GET /api/clients': { clients: [ROW], total: 1 }, 'GET /api/clients/m': PAGE, 'GET /api/slips': [{ slip: { name: 'Homes' } }], 'GET /api/ways': [],
    ...answers,
  })
  const made = mount(ClientsView, { global: { ...around, stubs: { PageHead: true, RouterLink: { template: '<a><slot /></a>' } } } })
  await flushPromises()
  return { made, asked }
}
beforeEach(() => (useSession().person.value = { name: 'Mara', role: 'lead' } as never))
afterEach(() => {
  vi.unstubAllGlobals()
  vi.clearAllMocks()
})

describe('clients', () => {
  it('stand with their tickets, figures by month, and what came back and why', async () => {
    const { made } = await clients()
    expect(made.get('.kept').text()).toBe('Race Mill 1 open, 3 in all')
    expect(made.get('.past').text()).toContain('12 photos, 9 accepted, 2 came back, 2.5 h')
    expect(made.get('.back').text()).toContain('Too dark.')
  })

  it('are changed whole, with the words that go with their photos', async () => {
    const { made, asked } = await clients({ 'PUT /api/clients/m': MILL })
    const [, , , , copyright] = made.findAll('form input.p-inputtext')
    await copyright?.setValue('© Race Mill')
    await made.get('form').trigger('submit')
    await flushPromises()
    expect(asked.find((one) => one.method === 'PUT')?.body).toEqual({ ...TOLD, words: { ...WORDS, copyright: '© Race Mill' } })
    expect(say).toHaveBeenCalledWith('Race Mill is kept.')
  })

  it('are written down anew, and stay in the form when they are refused', async () => {
    const { made, asked } = await clients({ 'POST /api/clients': () => problem(409, 'There is a client Race Mill already.') })
    await made.findAll('button').find((one) => one.text() === 'New client')?.trigger('click')
    await made.get('form input.p-inputtext').setValue('Race Mill')
    await made.get('form').trigger('submit')
    await flushPromises()
    expect(asked.find((one) => one.method === 'POST')?.body).toMatchObject({ name: 'Race Mill', slip: '', way: null })
    expect(sayError.mock.calls[0]?.[0]).toMatchObject({ status: 409 })
    expect((made.get('form input.p-inputtext').element as HTMLInputElement).value).toBe('Race Mill')
  })

  it('are looked at, not changed, by those who do not lead', async () => {
    useSession().person.value = { name: 'Jonas', role: 'editor' } as never
    const { made } = await clients()
    expect(made.findAll('button').some((one) => ['Keep', 'New client'].includes(one.text()))).toBe(false)
    expect(made.findAll('form input.p-inputtext').every((one) => one.attributes('disabled') !== undefined)).toBe(true)
  })
})
