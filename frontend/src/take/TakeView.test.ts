import { flushPromises, mount } from '@vue/test-utils'
import { afterEach, describe, expect, it, vi } from 'vitest'

import { answering, around, problem } from '../testing'
import TakeView from './TakeView.vue'

const FILE = { hand_over: 'h', photo: 'Front', file_name: 'FT-1_01.jpg', bytes: 2_345_678 }
const PAGE = { number: 'FT-1', title: 'Attic rooms', client: 'Race Mill', ends_at: '2027-01-10T17:00:00Z', files: [FILE] }

async function page(answer: unknown) {
  answering({ 'GET /api/take/token': answer })
  const made = mount(TakeView, { props: { token: 'token' }, global: { ...around, stubs: { PageHead: true } } })
  await flushPromises()
  return made
}
afterEach(() => vi.unstubAllGlobals())

describe('the page to take photos from', () => {
  it('gives each file, and all of them at once', async () => {
    const made = await page({ ...PAGE, files: [FILE, { ...FILE, hand_over: 'i', photo: 'Stairs' }] })
    expect(made.findAll('a').map((one) => one.attributes('href'))).toEqual([
      '/api/take/token/all.zip', '/api/take/token/files/h', '/api/take/token/files/i',
    ])
    expect(made.text()).toContain('2 photos, until')
    expect(made.get('.file').text()).toBe('Front FT-1_01.jpg 2.35 MB')
  })

  it('says that nothing came yet', async () => {
    const made = await page({ ...PAGE, files: [] })
    expect(made.text()).toContain('Nothing was handed over yet')
    expect(made.find('a').exists()).toBe(false)
  })

  it('tells a link that ended from a server that is away', async () => {
    expect((await page(problem(404, 'This link does not hold any more. Ask for a new one.'))).text()).toBe(
      'This link does not hold any more. Ask for a new one.',
    )
    const away = await page(() => Promise.reject(new TypeError('refused')))
    expect(away.text()).toContain('The server cannot be reached.')
  })
})
