import { flushPromises, mount } from '@vue/test-utils'
import { afterEach, describe, expect, it, vi } from 'vitest'

import { useSession } from '../common/useSession'
import { answering, around, choose, problem } from '../testing'
import PeopleView from './PeopleView.vue'

const { sayError, say } = vi.hoisted(() => ({ sayError: vi.fn(), say: vi.fn() }))
vi.mock('../common/useSaying', () => ({ useSaying: () => ({ sayError, say }) }))

const MARA = { id: 'm', name: 'Mara Holt', sign_in: 'mara', role: 'lead', inactive: false, seen_at: null, on_the_bench: [] }
const JONAS = { ...MARA, id: 'j', name: 'Jonas', sign_in: 'jonas', role: 'editor' }
const STRONG = { score: 4, words: 'not found', advice: '', enough: true }
const AT_WORK = [{ id: 'j', name: 'Jonas', sign_in: 'jonas', tickets: 2, next_due: '2026-10-06T10:00:00Z' }]

async function people(answers: Record<string, unknown>) {
  const asked = answering({ 'GET /api/people': [MARA], 'GET /api/people-at-work': AT_WORK, 'POST /api/me/strength': STRONG, ...answers })
  const made = mount(PeopleView, { global: { ...around, stubs: { PageHead: true } } })
  await flushPromises()
  return { made, asked }
}
async function fill(made: Awaited<ReturnType<typeof people>>['made']) {
  const [name, sign, password] = made.findAll('form input.p-inputtext')
  await name?.setValue('Jonas')
  await sign?.setValue('jonas')
  await password?.setValue('limewash-and-reeds')
  await made.get('form').trigger('submit')
  await flushPromises()
  return (name?.element as HTMLInputElement).value
}

afterEach(() => {
  vi.unstubAllGlobals()
  vi.clearAllMocks()
})

describe('people', () => {
  it('are listed with what they do', async () => {
    const { made } = await people({ 'GET /api/people': [MARA, JONAS] })
    expect(made.findAll('.row').map((one) => [one.get('strong').text(), one.get('[role=combobox]').text()])).toEqual([
      ['Mara Holt', 'edits and leads'], ['Jonas', 'edits'],
    ])
    expect(made.findAll('.row')[1]?.text()).toContain('2 tickets, next Tue 6 Oct')
  })

  it('are added with a name, a sign-in and a password, which then leave the form', async () => {
    const { made, asked } = await people({ 'POST /api/people': [MARA, JONAS] })
    expect(await fill(made)).toBe('')
    const sent = asked.find((one) => one.path === '/api/people' && one.method === 'POST')
    expect(sent?.body).toEqual({ sign_in: 'jonas', name: 'Jonas', role: 'editor', password: 'limewash-and-reeds' })
    expect(say).toHaveBeenCalledWith('Jonas can sign in now.')
    expect(made.findAll('.row')).toHaveLength(2)
  })

  it('stay in the form when they are refused', async () => {
    const { made } = await people({ 'POST /api/people': () => problem(409, 'Somebody signs in as jonas already.') })
    expect(await fill(made)).toBe('Jonas')
    expect(sayError.mock.calls[0]?.[0]).toMatchObject({ status: 409 })
    expect(say).not.toHaveBeenCalled()
  })

  it('change what they do', async () => {
    const { made, asked } = await people({ 'GET /api/people': [MARA, JONAS], 'PUT /api/people/j': [MARA, { ...JONAS, role: 'lead' }] })
    await choose(made, 'What Jonas does', 'lead')
    await flushPromises()
    expect(asked.find((one) => one.method === 'PUT')?.body).toEqual({ role: 'lead' })
    expect(say).toHaveBeenCalledWith('Jonas: lead.')
  })

  it('are set inactive and active again, but nobody does that to themselves', async () => {
    useSession().person.value = { sign_in: 'mara' } as never
    const { made, asked } = await people({ 'GET /api/people': [MARA, JONAS], 'PUT /api/people/j': [MARA, { ...JONAS, inactive: true }] })
    expect(made.find('[aria-label="Set inactive: Mara Holt"]').exists()).toBe(false)
    await made.get('[aria-label="Set inactive: Jonas"]').trigger('click')
    await flushPromises()
    expect(asked.find((one) => one.method === 'PUT')?.body).toEqual({ inactive: true })
    expect(made.find('[aria-label="Set active: Jonas"]').exists()).toBe(true)
  })

  it('say what they have on the bench', async () => {
    const { made } = await people({ 'GET /api/people': [{ ...JONAS, on_the_bench: [{ number: 'FT-1', title: 'Front' }] }] })
    expect(made.get('.doing').text()).toBe('on the bench: FT-1 Front')
  })

  it('are not shown to those who do not lead', async () => {
    const { made } = await people({ 'GET /api/people': () => problem(403, 'This is kept by those who lead.') })
    expect(made.text()).toContain('Only those who lead see this.')
    expect(made.find('form').exists()).toBe(false)
  })

  it('are found by name where there are many', async () => {
    const many = Array.from({ length: 12 }, (_, k) => ({ ...MARA, id: `${k}`, name: `Person ${k}`, sign_in: `p${k}` }))
    const { made } = await people({ 'GET /api/people': many })
    await made.get('input[type=search]').setValue('person 11')
    expect(made.findAll('.row').map((one) => one.get('strong').text())).toEqual(['Person 11'])
  })
})
