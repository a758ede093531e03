import { mount, type DOMWrapper } from '@vue/test-utils'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { nextTick } from 'vue'

import { ruler as declared } from '../testing'
import Ruler from './Ruler.vue'

const EXPOSURE = declared('ev', { name: 'exposure', low: -4, high: 4, step: 0.05, unit: 'EV' })

function ruler(more: Record<string, unknown> = {}) {
  const made = mount(Ruler, { props: { ruler: EXPOSURE, value: 0, ...more }, attachTo: document.body })
  const track = made.get('[role=slider]')
  const element = track.element as HTMLElement
  element.getBoundingClientRect = () => ({ left: 100, width: 200, top: 0, height: 24, right: 300, bottom: 24, x: 100, y: 0, toJSON: () => '' })
  element.setPointerCapture = () => undefined
  return { made, track }
}

async function fire(on: Pick<DOMWrapper<Element>, 'element'>, type: string, init: MouseEventInit = {}) {
  on.element.dispatchEvent(new MouseEvent(type, { bubbles: true, ...init }))
  await nextTick()
}

beforeEach(() => void vi.useFakeTimers())
afterEach(() => void vi.useRealTimers())

describe('a ruler', () => {
  it('shows its value with sign and unit, and says so to a screen reader', () => {
    const { made, track } = ruler({ value: 0.35 })
    expect(made.get('.value').text()).toBe('+0.35EV')
    expect(track.attributes('aria-valuetext')).toBe('+0.35 EV')
    expect(track.attributes('aria-valuenow')).toBe('0.35')
  })

  it('tells every value while it is dragged, and once where it ends', async () => {
    const { made, track } = ruler()
    await fire(track, 'pointerdown', { clientX: 200, button: 0 })
    await fire(track, 'pointermove', { clientX: 250 })
    await fire(track, 'pointermove', { clientX: 250.2 })
    await fire(track, 'pointermove', { clientX: 900 })
    await fire(track, 'pointerup')
    expect(made.emitted('drag')).toEqual([[0], [2], [4]])
    expect(made.emitted('settle')).toEqual([[4]])
  })

  it('does not move when nothing is held', async () => {
    const { made, track } = ruler()
    await fire(track, 'pointermove', { clientX: 250 })
    await fire(track, 'pointerup')
    await fire(track, 'pointerdown', { clientX: 250, button: 2 })
    expect(made.emitted()).not.toHaveProperty('drag')
    expect(made.emitted()).not.toHaveProperty('settle')
  })

  it('gathers key presses into one change', async () => {
    const { made, track } = ruler()
    for (let press = 0; press < 3; press++) await track.trigger('keydown', { key: 'ArrowRight' })
    await track.trigger('keydown', { key: 'ArrowLeft', shiftKey: true })
    expect(made.emitted('settle')).toBeUndefined()
    vi.advanceTimersByTime(400)
    expect(made.emitted('settle')).toHaveLength(1)
    expect(made.emitted('settle')?.[0]?.[0]).toBeCloseTo(-0.35)
  })

  it('turns with the wheel and stops at its ends', async () => {
    const { made, track } = ruler({ value: 3.98 })
    await track.trigger('wheel', { deltaY: -100 })
    await track.trigger('wheel', { deltaY: -100 })
    vi.advanceTimersByTime(400)
    expect(made.emitted('settle')).toEqual([[4]])
  })

  it('goes back to rest on a double click', async () => {
    const { made, track } = ruler({ value: 2, ruler: { ...EXPOSURE, rest: 0.5 } })
    await track.trigger('dblclick')
    expect(made.emitted('settle')).toEqual([[0.5]])
  })

  it('goes back to rest by Home, and to what is proposed by End, which a click does too', async () => {
    const { made, track } = ruler({ value: 2, proposal: 9 })
    await track.trigger('keydown', { key: 'Home' })
    await track.trigger('keydown', { key: 'End' })
    await made.get('.proposal').trigger('click')
    expect(made.emitted('settle')).toEqual([[0], [4], [4]])
  })

  it('leaves letters alone: they are the bench’s', async () => {
    const { track } = ruler({ proposal: 1 })
    const event = new KeyboardEvent('keydown', { key: 't', bubbles: true, cancelable: true })
    track.element.dispatchEvent(event)
    expect(event.defaultPrevented).toBe(false)
  })

  it('takes what is typed, with a comma too, and keeps it between its ends', async () => {
    for (const [typed, taken] of [['1,25', 1.25], ['−9', -4], ['3', 3]] as const) {
      const { made } = ruler()
      await made.get('.value').trigger('click')
      await made.get('input').setValue(typed)
      await made.get('input').trigger('keydown', { key: 'Enter' })
      expect(made.emitted('settle')).toEqual([[taken]])
      made.unmount()
    }
  })

  it('leaves the value alone when nonsense is typed, or Escape is pressed', async () => {
    const { made } = ruler()
    await made.get('.value').trigger('click')
    await made.get('input').setValue('much')
    await made.get('input').trigger('keydown', { key: 'Enter' })
    await made.get('.value').trigger('click')
    await made.get('input').setValue('2')
    await made.get('input').trigger('keydown', { key: 'Escape' })
    expect(made.emitted('settle')).toBeUndefined()
    expect(made.find('input').exists()).toBe(false)
  })

  it('cannot be moved when it is disabled', async () => {
    const { made, track } = ruler({ disabled: true })
    await fire(track, 'pointerdown', { clientX: 250, button: 0 })
    await track.trigger('keydown', { key: 'ArrowRight' })
    vi.advanceTimersByTime(400)
    expect(made.emitted()).not.toHaveProperty('settle')
    expect(track.attributes('tabindex')).toBe('-1')
  })

  it('shows where the visit began only once it differs', async () => {
    const { made } = ruler({ before: 0 })
    expect(made.find('.before').exists()).toBe(false)
    await made.setProps({ value: 1 })
    expect(made.get('.before').attributes('style')).toContain('left: 50%')
  })
})
