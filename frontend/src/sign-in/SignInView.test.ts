import { flushPromises, mount } from '@vue/test-utils'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'

import { useSession } from '../common/useSession'
import { answering, around, problem } from '../testing'
import SignInView from './SignInView.vue'

const { route, push } = vi.hoisted(() => ({ route: { query: {} as Record<string, unknown> }, push: vi.fn() }))
vi.mock('vue-router', () => ({ useRoute: () => route, useRouter: () => ({ push }) }))

const MARA = { name: 'Mara Holt', role: 'lead' }
async function page(more: Record<string, unknown> = {}) {
  const asked = answering({ 'GET /api/welcome': { demo_sign_in: 'mara', demo_password: 'limewash-and-reeds' }, 'POST /api/session': MARA, ...more })
  const made = mount(SignInView, { global: around })
  await flushPromises()
  const enter = async () => {
    await made.get('form').trigger('submit')
    await flushPromises()
  }
  return { made, asked, enter }
}

beforeEach(() => {
  route.query = {}
  useSession().person.value = null
})
afterEach(() => {
  vi.unstubAllGlobals()
  vi.clearAllMocks()
})

describe('signing in', () => {
  it('fills in the demo’s words and goes to the board', async () => {
    const { made, asked, enter } = await page()
    await made.get('.demo button').trigger('click')
    await enter()
    expect(asked.at(-1)?.body).toEqual({ sign_in: 'mara', password: 'limewash-and-reeds' })
    expect(useSession().person.value).toEqual(MARA)
    expect(push).toHaveBeenCalledWith('/')
  })

  it('shows no demo where there is none', async () => {
    expect((await page({ 'GET /api/welcome': {} })).made.find('.demo').exists()).toBe(false)
  })

  it.each([
    ['/tickets/FT-1', '/tickets/FT-1'],
    ['https://elsewhere.example', '/'],
    ['//elsewhere.example', '/'],
    [['/a', '/b'], '/'],
  ])('goes back to %j only within the application', async (to, wanted) => {
    route.query = { to }
    const { enter } = await page()
    await enter()
    expect(push).toHaveBeenCalledWith(wanted)
  })

  it('stays and says why when it is refused', async () => {
    const { made, enter } = await page({ 'POST /api/session': () => problem(401, 'Name or password do not fit.') })
    await enter()
    expect(made.get('[role=alert]').text()).toBe('Name or password do not fit.')
    expect(push).not.toHaveBeenCalled()
  })

  it('stays and says so when the server is away', async () => {
    const { made, enter } = await page({ 'POST /api/session': () => Promise.reject(new TypeError('network')) })
    await enter()
    expect(made.get('[role=alert]').text()).toContain('The server cannot be reached')
    expect(push).not.toHaveBeenCalled()
  })
})
