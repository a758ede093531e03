import { flushPromises, mount } from '@vue/test-utils'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'

import { answering, around, problem } from '../testing'
import ProofsView from './ProofsView.vue'

const NOTES = [
  { id: 'n', text: 'the bin', x: 0.5, y: 0.25, done_at: null },
  { id: 'm', text: 'warmer', x: null, y: null, done_at: '2026-10-06T10:00:00Z' },
]
const PHOTO = { id: 'p', title: 'Front', width: 1200, height: 800, approved: false, notes: NOTES }
const PAGE = { number: 'FT-1', title: 'Mill', client: 'Race Mill', photos: [PHOTO] }
const PROOFS = 'GET /api/proofs/t'

async function proofs(more: Record<string, unknown> = {}) {
  const asked = answering({ [PROOFS]: PAGE, ...more })
  const made = mount(ProofsView, { props: { token: 't' }, global: { ...around, stubs: { TicketTag: true } } })
  await flushPromises()
  return { made, asked }
}
type Made = Awaited<ReturnType<typeof proofs>>['made']
/** A finger on the picture, which measures 600 × 400 from (100, 50). */
function finger(made: Made, type: string, clientX: number, clientY: number, pointerId = 1) {
  const frame = made.get('.frame').element as HTMLElement
  frame.getBoundingClientRect = () => ({ left: 100, top: 50, width: 600, height: 400 }) as DOMRect
  const event = new MouseEvent(type, { bubbles: true, button: 0, clientX, clientY })
  Object.defineProperties(event, { pointerId: { value: pointerId }, timeStamp: { value: Date.now() } })
  frame.dispatchEvent(event)
}
function tap(made: Made, x: number, y: number) {
  finger(made, 'pointerdown', x, y)
  finger(made, 'pointerup', x, y)
}
/** One tap, and the time in which a second could have come. */
async function click(made: Made) {
  tap(made, 250, 350)
  await vi.advanceTimersByTimeAsync(300)
}
const transform = (made: Made) => made.get('.picture').attributes('style')

beforeEach(() => void vi.useFakeTimers())
afterEach(() => {
  vi.useRealTimers()
  vi.unstubAllGlobals()
})

describe('the client’s proofs', () => {
  it('show each photo as it stands, notes at their places, and those without a place in the list only', async () => {
    const { made } = await proofs()
    expect(made.get('img').attributes('src')).toBe('/api/proofs/t/p/picture')
    expect(made.findAll('.pin').map((one) => [one.text(), one.attributes('style')])).toEqual([['1', 'left: 50%; top: 25%; transform: scale(1);']])
    expect(made.findAll('li').map((one) => one.text())).toEqual(['the bin', 'warmer · done'])
  })

  it('take a note where the picture was clicked', async () => {
    const { made, asked } = await proofs({ 'POST /api/proofs/t/p/notes': {} })
    await click(made)
    expect(made.find('.pin.new').exists()).toBe(true)
    await made.get('textarea').setValue('  take the wire out ')
    await made.get('form').trigger('submit')
    await flushPromises()
    expect(asked.find((one) => one.method === 'POST')?.body).toEqual({ text: 'take the wire out', x: 0.25, y: 0.75 })
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
    const hold = made.get('.acts button')
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

  it('come closer by two taps, where they fell, and go back by two more', async () => {
    const { made } = await proofs()
    tap(made, 400, 250)
    tap(made, 400, 250)
    await vi.advanceTimersByTimeAsync(300)
    expect(transform(made)).toContain('translate(-450px, -300px) scale(2.5)')
    expect(made.find('form').exists()).toBe(false)
    tap(made, 400, 250)
    tap(made, 400, 250)
    await vi.advanceTimersByTimeAsync(300)
    expect(transform(made)).toContain('scale(1)')
  })

  it('come closer under two fingers, never beyond their edges, and take no note from that', async () => {
    const { made } = await proofs()
    finger(made, 'pointerdown', 350, 250, 1)
    finger(made, 'pointerdown', 450, 250, 2)
    finger(made, 'pointermove', 300, 250, 1)
    finger(made, 'pointermove', 500, 250, 2)
    await vi.advanceTimersByTimeAsync(0)
    expect(transform(made)).toContain('scale(2)')
    finger(made, 'pointerup', 300, 250, 1)
    finger(made, 'pointermove', 5000, 250, 2)
    await vi.advanceTimersByTimeAsync(0)
    expect(transform(made)).toMatch(/translate\((-?0|0)px/)
    finger(made, 'pointerup', 5000, 250, 2)
    await vi.advanceTimersByTimeAsync(400)
    expect(made.find('form').exists()).toBe(false)
  })

  it('show a held finger the photo as it came, and take no note from that either', async () => {
    const { made } = await proofs()
    finger(made, 'pointerdown', 250, 350)
    await vi.advanceTimersByTimeAsync(400)
    expect(made.find('.before').exists()).toBe(true)
    finger(made, 'pointerup', 250, 350)
    await vi.advanceTimersByTimeAsync(400)
    expect(made.find('.before').exists()).toBe(false)
    expect(made.find('form').exists()).toBe(false)
  })
})
