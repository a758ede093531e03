import { flushPromises, mount } from '@vue/test-utils'
import { afterEach, describe, expect, it, vi } from 'vitest'

import { answering, around } from '../testing'
import BinView from './BinView.vue'

const { sayError, say } = vi.hoisted(() => ({ sayError: vi.fn(), say: vi.fn() }))
vi.mock('../common/useSaying', () => ({ useSaying: () => ({ sayError, say }) }))

const DAY = 86_400_000
const ago = (days: number) => new Date(Date.now() - days * DAY - 60_000).toISOString()
const TICKET = { id: 't', number: 'FT-1', title: 'Mill', client: 'Race Mill', binned_at: ago(2), photos: 3, delivered: true }
const PHOTO = { id: 'p', number: 'FT-2', title: 'Front', state: 'ready', binned_at: ago(1), delivered: false }
const BIN = { days: 30, tickets: [TICKET], photos: [PHOTO] }

async function bin(answers: Record<string, unknown> = {}) {
  const asked = answering({ 'GET /api/bin': BIN, ...answers })
  const stubs = { PageHead: true, Dialog: { props: ['visible'], template: '<div v-if="visible" role="dialog"><slot /></div>' } }
  const made = mount(BinView, { global: { ...around, stubs } })
  await flushPromises()
  return { made, asked }
}
afterEach(() => {
  vi.unstubAllGlobals()
  vi.clearAllMocks()
})

describe('the bin', () => {
  it('shows what was put away last first, and how long each stays', async () => {
    const { made } = await bin()
    expect(made.findAll('.row').map((row) => row.text())).toEqual([
      expect.stringContaining('29 days left'), expect.stringContaining('stays until it is deleted here'),
    ])
  })

  it('gives back', async () => {
    const { made, asked } = await bin({ 'POST /api/bin/photos/p/restore': { ...BIN, photos: [] } })
    await made.get('.row button').trigger('click')
    await vi.waitFor(() => expect(say).toHaveBeenCalledWith('Front is back on FT-2.'))
    expect(asked.find((one) => one.method === 'POST')?.path).toBe('/api/bin/photos/p/restore')
    expect(made.findAll('.row')).toHaveLength(1)
  })

  it('deletes what was delivered only when its number is typed', async () => {
    const { made, asked } = await bin({ 'DELETE /api/bin/tickets/t': { ...BIN, tickets: [] } })
    await made.findAll('.row')[1]?.findAll('button')[1]?.trigger('click')
    const go = () => made.findAll('[role=dialog] button')[1]
    expect(go()?.attributes('disabled')).toBeDefined()
    await made.get('[role=dialog] input').setValue('FT-1')
    expect(go()?.attributes('disabled')).toBeUndefined()
    await made.get('[role=dialog] form').trigger('submit')
    await vi.waitFor(() => expect(asked.find((one) => one.method === 'DELETE')?.path).toBe('/api/bin/tickets/t'))
  })
})
