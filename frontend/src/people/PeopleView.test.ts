import { flushPromises, mount } from '@vue/test-utils'
import { afterEach, describe, expect, it, vi } from 'vitest'

import { answering, around, choose, problem } from '../testing'
import PeopleView from './PeopleView.vue'

const { sayError, say } = vi.hoisted(() => ({ sayError: vi.fn(), say: vi.fn() }))
vi.mock('../common/useSaying', () => ({ useSaying: () => ({ sayError, say }) }))

const MARA = { id: 'm', name: 'Mara Holt', sign_in: 'mara', role: 'lead' }
const JONAS = { id: 'j', name: 'Jonas', sign_in: 'jonas', role: 'editor' }

async function people(answers: Record<string, unknown>) {
  const asked = answering({ 'GET /api/people': [MARA], ...answers })
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
      ['Jonas', 'edit'], ['Mara Holt', 'edit and lead (slips, people)'],
    ])
  })

  it('are added with a name, a sign-in and a password, which then leave the form', async () => {
    const { made, asked } = await people({ 'POST /api/people': [MARA, JONAS] })
    expect(await fill(made)).toBe('')
    expect(asked.at(-1)?.body).toEqual({ sign_in: 'jonas', name: 'Jonas', role: 'editor', password: 'limewash-and-reeds' })
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
    expect(asked.at(-1)?.body).toEqual({ role: 'lead' })
    expect(say).toHaveBeenCalledWith('Jonas: lead.')
  })

  it('are not shown to those who do not lead', async () => {
    const { made } = await people({ 'GET /api/people': () => problem(403, 'This is kept by those who lead.') })
    expect(made.text()).toContain('Only those who lead see this.')
    expect(made.find('form').exists()).toBe(false)
  })

  it('are found by name where there are many', async () => {
    const many = Array.from({ length: 12 }, (_, k) => ({ id: `${k}`, name: `Person ${k}`, sign_in: `p${k}`, role: 'editor' }))
    const { made } = await people({ 'GET /api/people': many })
    await made.get('input[type=search]').setValue('person 11')
    expect(made.findAll('.row').map((one) => one.get('strong').text())).toEqual(['Person 11'])
  })
})
