import { flushPromises, mount } from '@vue/test-utils'
import { afterEach, describe, expect, it, vi } from 'vitest'

import { useSession } from '../common/useSession'
import { answering, around, problem } from '../testing'
import FirstView from './FirstView.vue'

const { push } = vi.hoisted(() => ({ push: vi.fn() }))
vi.mock('vue-router', () => ({ useRouter: () => ({ push }) }))

const ADA = { name: 'Ada Fenn', sign_in: 'ada', role: 'lead', studio: 'Reeds', likes: { surround: 119, hints: true } }

async function first(answers: Record<string, unknown> = {}) {
  const asked = answering({ 'GET /api/first/x': { good: true }, 'POST /api/first/x': ADA, ...answers })
  const made = mount(FirstView, { props: { token: 'x' }, global: { ...around, stubs: { RouterLink: true } } })
  await flushPromises()
  const field = (label: string) => made.get(`#${made.findAll('label').find((one) => one.text() === label)?.attributes('for')}`)
  return { made, asked, field }
}
afterEach(() => {
  vi.unstubAllGlobals()
  vi.clearAllMocks()
})

describe('the first person', () => {
  it('names the studio and is signed in, with a proposed name to sign in as', async () => {
    const { made, asked, field } = await first()
    await field('The studio is called').setValue('Reeds')
    await field('Your name').setValue('Ádá Fenn')
    await field('Your name').trigger('blur')
    expect((field('You sign in as').element as HTMLInputElement).value).toBe('ada')
    await field('Password').setValue('limewash and reeds')
    await made.get('form').trigger('submit')
    await flushPromises()
    const body = { studio: 'Reeds', name: 'Ádá Fenn', sign_in: 'ada', password: 'limewash and reeds' }
    expect(asked.find((one) => one.path === '/api/first/x' && one.method === 'POST')?.body).toEqual(body)
    expect(push).toHaveBeenCalledWith('/')
    expect(useSession().person.value?.name).toBe('Ada Fenn')
  })

  it('stays when the password is refused, and is told why', async () => {
    const { made, field } = await first({ 'POST /api/first/x': () => problem(422, 'This password would be found at once.', 'Take several words.') })
    await field('Password').setValue('passwordpassword')
    await made.get('form').trigger('submit')
    await flushPromises()
    expect(made.get('[role=alert]').text()).toBe('This password would be found at once. Take several words.')
    expect(push).not.toHaveBeenCalled()
  })

  it('is told that the address was good once', async () => {
    const { made } = await first({ 'GET /api/first/x': { good: false } })
    expect(made.text()).toContain('This address was good once')
    expect(made.find('input').exists()).toBe(false)
  })
})
