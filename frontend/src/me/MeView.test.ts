import { flushPromises, mount } from '@vue/test-utils'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'

import { useSession } from '../common/useSession'
import Ruler from '../parts/Ruler.vue'
import { answering, around, problem } from '../testing'
import MeView from './MeView.vue'

const { sayError, say } = vi.hoisted(() => ({ sayError: vi.fn(), say: vi.fn() }))
vi.mock('../common/useSaying', () => ({ useSaying: () => ({ sayError, say }) }))

const LIKES = { surround: 100, hints: true }
const MARA = { name: 'Mara Holt', role: 'lead', sign_in: 'mara', likes: LIKES }
const LINUX = 'Mozilla/5.0 (X11; Linux x86_64) Chrome/140.0 Safari/537.36'
const HERE = { id: 'a', agent: LINUX, address: '127.0.0.1', seen_at: '2027-01-01T10:00:00Z', this_one: true }
const THERE = { ...HERE, id: 'b', agent: 'Mozilla/5.0 (Macintosh; Intel Mac OS X 14) Safari/605', address: '10.0.0.7', this_one: false }

async function me(answers: Record<string, unknown> = {}) {
  useSession().person.value = MARA as never
  const asked = answering({ 'GET /api/me/sessions': [HERE, THERE], 'GET /api/session': MARA, ...answers })
  const made = mount(MeView, { global: { ...around, stubs: { PageHead: true } } })
  await flushPromises()
  return { made, asked, sent: (method: string) => asked.filter((one) => one.method === method) }
}
beforeEach(() => vi.useFakeTimers({ toFake: ['setTimeout', 'clearTimeout'] }))
afterEach(() => {
  vi.useRealTimers()
  vi.unstubAllGlobals()
  vi.clearAllMocks()
})

describe('one\'s own page', () => {
  it('keeps a name, a surround and whether tools say their keys', async () => {
    const { made, sent } = await me({ 'PUT /api/me': MARA })
    await made.get('form input').setValue('Mara Holt-Reed')
    made.findComponent(Ruler).vm.$emit('settle', 180)
    await made.get('#hints').setValue(false)
    await made.get('form').trigger('submit')
    await flushPromises()
    expect(sent('PUT').map((one) => one.body)).toEqual([{ name: 'Mara Holt-Reed', likes: { surround: 180, hints: false } }])
    expect(say).toHaveBeenCalledWith('Kept.')
  })

  it('shows the surround that is chosen', async () => {
    const { made } = await me()
    expect(made.get('.sample').attributes('style')).toContain('rgb(100')
    made.findComponent(Ruler).vm.$emit('drag', 60)
    await made.vm.$nextTick()
    expect(made.get('.sample').attributes('style')).toContain('rgb(60')
  })

  it('sets another password, which is then in no field any more', async () => {
    const { made, sent } = await me({ 'PUT /api/me/password': { ok: true } })
    const [old, fresh] = made.findAll('input[type=password]')
    await old?.setValue('the old words once')
    await fresh?.setValue('three odd words here')
    await made.findAll('form')[1]?.trigger('submit')
    await flushPromises()
    expect(sent('PUT').map((one) => one.body)).toEqual([{ old: 'the old words once', new: 'three odd words here' }])
    expect(made.findAll('input[type=password]').map((one) => (one.element as HTMLInputElement).value)).toEqual(['', ''])
  })

  it('keeps what was typed when the old password is wrong', async () => {
    const { made } = await me({ 'PUT /api/me/password': () => problem(403, 'This is not the old password.') })
    const [old, fresh] = made.findAll('input[type=password]')
    await old?.setValue('wrong')
    await fresh?.setValue('three odd words here')
    await made.findAll('form')[1]?.trigger('submit')
    await flushPromises()
    expect(sayError.mock.calls[0]?.[0]).toMatchObject({ status: 403 })
    expect((fresh?.element as HTMLInputElement).value).toBe('three odd words here')
  })

  it('lists where one is signed in, and ends it there', async () => {
    const { made, sent } = await me({ 'DELETE /api/me/sessions/b': [HERE] })
    const rows = () => made.findAll('[aria-label="Signed in"] .row').map((row) => row.text())
    expect(rows()).toEqual([expect.stringMatching(/^Chrome on Linux from 127.0.0.1.*this one$/), expect.stringContaining('Safari on Mac')])
    await made.findAll('button').find((one) => one.text() === 'sign out there')?.trigger('click')
    await flushPromises()
    expect(sent('DELETE').map((one) => one.path)).toEqual(['/api/me/sessions/b'])
    expect(rows()).toHaveLength(1)
  })
})
