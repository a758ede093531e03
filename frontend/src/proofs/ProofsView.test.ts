import { flushPromises, mount } from '@vue/test-utils'
import { afterEach, describe, expect, it, vi } from 'vitest'

import { answering, problem } from '../testing'
import ProofsView from './ProofsView.vue'

const PHOTO = { id: 'p', title: 'Front', width: 1200, height: 800, approved: false, notes: [{ id: 'n', text: 'the bin', x: 0.5, y: 0.25, done_at: null }, { id: 'm', text: 'warmer', x: null, y: null, done_at: '2026-10-06T10:00:00Z' }] }
const PAGE = { number: 'FT-1', title: 'Mill', client: 'Race Mill', photos: [PHOTO] }
const PROOFS = 'GET /api/proofs/t'

async function proofs(more: Record<string, unknown> = {}) {
  const asked = answering({ [PROOFS]: PAGE, ...more })
  const made = mount(ProofsView, { props: { token: 't' }, global: { stubs: { TicketTag: true } } })
  await flushPromises()
  return { made, asked }
}
async function click(made: Awaited<ReturnType<typeof proofs>>['made']) {
  const picture = made.get('.picture')
  ;(picture.element as HTMLElement).getBoundingClientRect = () => ({ left: 100, top: 50, width: 600, height: 400 }) as DOMRect
  await picture.trigger('click', { clientX: 250, clientY: 350 })
}

afterEach(() => void vi.unstubAllGlobals())

describe('the client’s proofs', () => {
  it('show each photo as it stands, notes at their places, and those without a place in the list only', async () => {
    const { made } = await proofs()
    expect(made.get('img').attributes('src')).toBe('/api/proofs/t/p/picture')
    expect(made.findAll('.pin').map((one) => [one.text(), one.attributes('style')])).toEqual([['1', 'left: 50%; top: 25%;']])
    expect(made.findAll('li').map((one) => one.text())).toEqual(['the bin', 'warmer · done'])
  })

  it('take a note where the picture was clicked', async () => {
    const { made, asked } = await proofs({ 'POST /api/proofs/t/p/notes': {} })
    await click(made)
    expect(made.find('.pin.new').exists()).toBe(true)
    await made.get('textarea').setValue('  take the wire out ')
    await made.get('form').trigger('submit')
    await flushPromises()
    expect(asked.find((one) => one.method === 'POST')?.body).toEqual({ text: 'take the wire out', author: '', x: 0.25, y: 0.75 })
    expect(made.find('form').exists()).toBe(false)
    expect(asked.filter((one) => one.method === 'GET')).toHaveLength(2)
  })

  it('keep no note without words, and leave one alone', async () => {
    const { made, asked } = await proofs()
    await click(made)
    await made.get('form').trigger('submit')
    expect(made.find('form').exists()).toBe(true)
    await made.findAll('form button')[1]?.trigger('click')
    expect(made.find('.pin.new').exists()).toBe(false)
    expect(asked).toHaveLength(1)
  })

  it('keep the words when they could not be sent, and say why', async () => {
    const { made } = await proofs({ 'POST /api/proofs/t/p/notes': () => problem(422, 'Too long.', 'Say it shorter.') })
    await click(made)
    await made.get('textarea').setValue('words')
    await made.get('form').trigger('submit')
    await flushPromises()
    expect(made.get('[role=alert]').text()).toBe('Too long. Say it shorter.')
    expect((made.get('textarea').element as HTMLTextAreaElement).value).toBe('words')
  })

  it('are approved, and taken back', async () => {
    let approved = false
    const { made, asked } = await proofs({
      [PROOFS]: () => ({ ...PAGE, photos: [{ ...PHOTO, approved }] }),
      'PUT /api/proofs/t/p/approval': (body: { approved: boolean }) => { approved = body.approved; return {} },
    })
    for (const wanted of [true, false]) {
      await made.get('.approve').trigger('click')
      await flushPromises()
      expect(made.get('.approve').attributes('aria-pressed')).toBe(String(wanted))
    }
    expect(asked.filter((one) => one.method === 'PUT').map((one) => one.body)).toEqual([{ approved: true }, { approved: false }])
  })

  it('show the photo as it came for as long as that is held', async () => {
    const { made } = await proofs()
    const hold = made.get('.words button')
    await hold.trigger('pointerdown')
    expect(made.get('.before').attributes('src')).toBe('/api/proofs/t/p/thumbnail')
    await hold.trigger('pointerleave')
    expect(made.find('.before').exists()).toBe(false)
  })

  it('say so when the link is no longer good', async () => {
    const { made } = await proofs({ [PROOFS]: () => problem(404, 'This link has ended.') })
    expect(made.get('[role=alert]').text()).toBe('This link has ended.')
    expect(made.find('article').exists()).toBe(false)
  })
})
