import { flushPromises, mount } from '@vue/test-utils'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'

import { useSession } from '../common/useSession'
import { answering, around, choose } from '../testing'
import WaysView from './WaysView.vue'

const { sayError, say } = vi.hoisted(() => ({ sayError: vi.fn(), say: vi.fn() }))
vi.mock('../common/useSaying', () => ({ useSaying: () => ({ sayError, say }) }))

const SHARE = {
  id: 'w', name: 'The share', settings: { kind: 'folder', address: '/mnt/share', user: '', endpoint: '' }, has_secret: true, answers: 'arrival', tickets: 2,
}

async function ways(answers: Record<string, unknown> = {}) {
  const asked = answering({
    'GET /api/ways': [SHARE], 'GET /api/desks-here': [{ desk: 'homes', name: 'Homes desk' }], 'GET /api/watches': [], 'GET /api/clients': { clients: [] },
    ...answers,
  })
  const made = mount(WaysView, { global: { ...around, stubs: { PageHead: true } } })
  await flushPromises()
  const button = (words: string) => made.findAll('button').find((one) => one.text() === words)
  return { made, asked, button }
}
beforeEach(() => (useSession().person.value = { name: 'Mara', role: 'lead' } as never))
afterEach(() => {
  vi.unstubAllGlobals()
  vi.clearAllMocks()
})

describe('ways out', () => {
  it('are tried before they are kept, and say what was found', async () => {
    const { made, asked, button } = await ways({ 'POST /api/ways/w/trial': { works: false, said: 'there is no room left.' } })
    expect(made.get('.kept').text()).toBe('The share folder or store, 2 open tickets')
    await button('Try it')?.trigger('click')
    await flushPromises()
    expect(made.text()).toContain('It does not work. there is no room left.')
    expect(asked.find((one) => one.method === 'POST')?.body).toMatchObject({ settings: SHARE.settings, secret: null })
  })

  it('keep a secret that is not typed again, and never show it', async () => {
    const { made, asked } = await ways({ 'PUT /api/ways/w': [SHARE], 'GET /api/ways': [{ ...SHARE, settings: { ...SHARE.settings, address: 's3://b/x' } }] })
    const secret = made.get('input[type=password]')
    expect([(secret.element as HTMLInputElement).value, secret.attributes('placeholder')]).toEqual(['', 'kept; type to change it'])
    await made.get('form').trigger('submit')
    await flushPromises()
    expect((asked.find((one) => one.method === 'PUT')?.body as { secret: unknown }).secret).toBeNull()
  })

  it('of each kind ask for what it needs, and are accepted by whom it can be', async () => {
    const { made, asked, button } = await ways({ 'POST /api/ways': [SHARE, { ...SHARE, id: 'd', name: 'Practice' }] })
    await button('simulated desk')?.trigger('click')
    await made.get('form input.p-inputtext').setValue('Practice')
    await choose(made, 'Desk', 'homes')
    await made.get('form').trigger('submit')
    await flushPromises()
    const body = { name: 'Practice', settings: { kind: 'desk', desk: 'homes' }, answers: 'itself', secret: null }
    expect(asked.find((one) => one.method === 'POST')?.body).toEqual(body)
  })
})
