import { flushPromises, mount } from '@vue/test-utils'
import InputNumber from 'primevue/inputnumber'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'

import { answering, around, problem } from '../testing'
import StudioView from './StudioView.vue'

const { sayError, say } = vi.hoisted(() => ({ sayError: vi.fn(), say: vi.fn() }))
vi.mock('../common/useSaying', () => ({ useSaying: () => ({ sayError, say }) }))

const STUDIO = {
  name: 'Holt and Reed', number_pattern: '{year}-{count:4}', bin_days: 30, session_days: 14, idle_seconds: 60, memory_mb: null,
  host_names: ['pictures.lan'],
}
const happening = (id: number) => ({ id, made_at: '2027-01-01T10:00:00Z', about: 'FT-1', what: 'put on hold', who: 'Mara Holt', address: '10.0.0.7' })

async function studio(answers: Record<string, unknown> = {}) {
  const asked = answering({
    'GET /api/studio': STUDIO, 'GET /api/happened': [happening(1)], 'POST /api/studio/number': { number: '2027-0007' }, 'GET /api/session': null,
    ...answers,
  })
  const made = mount(StudioView, { global: { ...around, stubs: { PageHead: true } } })
  await settled()
  return { made, asked }
}
async function settled() {
  await flushPromises()
  await vi.advanceTimersByTimeAsync(250)
  await flushPromises()
}
beforeEach(() => vi.useFakeTimers({ toFake: ['setTimeout', 'clearTimeout'] }))
afterEach(() => {
  vi.useRealTimers()
  vi.unstubAllGlobals()
  vi.clearAllMocks()
})

describe('the studio\'s settings', () => {
  it('are kept together', async () => {
    const { made, asked } = await studio({ 'PUT /api/studio': (body: unknown) => body })
    made.findAllComponents(InputNumber).at(-1)?.vm.$emit('update:modelValue', 2048)
    await made.findAll('form input.p-inputtext').at(-1)?.setValue('pictures.lan, far.example')
    await made.get('form').trigger('submit')
    await settled()
    expect(asked.find((one) => one.method === 'PUT')?.body).toEqual({ ...STUDIO, memory_mb: 2048, host_names: ['pictures.lan', 'far.example'] })
    expect(say).toHaveBeenCalledWith('The settings are kept.')
  })

  it('show a number such as the pattern gives, or what is wrong with it', async () => {
    let answer: unknown = { number: '2027-0007' }
    const { made } = await studio({ 'POST /api/studio/number': () => answer })
    expect(made.get('[role=status]').text()).toBe('such as 2027-0007')
    answer = problem(422, 'The pattern needs {count}.')
    await made.findAll('form input')[1]?.setValue('{year}')
    await settled()
    expect(made.get('.problem').text()).toBe('The pattern needs {count}.')
    expect(made.get('button[type=submit]').attributes('disabled')).toBeDefined()
  })
})

describe('what happened', () => {
  it('is found by words, and goes back as far as it is kept', async () => {
    const full = Array.from({ length: 60 }, (_, index) => happening(200 - index))
    let answers = [full, [happening(9)]]
    const { made } = await studio({ 'GET /api/happened': () => answers.shift() })
    expect(made.findAll('.sheet .row')).toHaveLength(60)
    await made.findAll('button').find((one) => one.text() === 'Earlier')?.trigger('click')
    await settled()
    expect(made.findAll('.sheet .row')).toHaveLength(61)
    expect(made.findAll('button').some((one) => one.text() === 'Earlier')).toBe(false)
    answers = [[]]
    await made.get('input[type=search]').setValue('nobody')
    await settled()
    expect(made.get('.sheet .row').text()).toBe('Nothing of that happened.')
  })
})
