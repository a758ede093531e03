import { describe, expect, it } from 'vitest'

import { within } from '../../testing'
import { useBusy } from './useBusy'

function busy(idle = 60) {
  let clock = 0
  const { made, end } = within(() => useBusy(idle, () => clock))
  const gesture = (at: number, name = 'pointermove') => {
    clock = at
    window.dispatchEvent(new Event(name))
  }
  return { taken: made.taken, gesture, end }
}

describe('time on the bench', () => {
  it('is the time between gestures of any kind', () => {
    const { taken, gesture } = busy()
    for (const [at, name] of [[10, 'pointerdown'], [12.5, 'keydown'], [20, 'wheel'], [21, 'pointermove']] as const) gesture(at, name)
    expect(taken()).toBe(11)
  })

  it('leaves out a pause that is longer than the studio lets count, whole', () => {
    const { taken, gesture } = busy(60)
    for (const at of [0, 60, 121, 131]) gesture(at)
    expect(taken()).toBe(70)
  })

  it('is told once, and goes on from the last gesture', () => {
    const { taken, gesture } = busy()
    gesture(0)
    gesture(4)
    expect(taken()).toBe(4)
    expect(taken()).toBe(0)
    gesture(9)
    expect(taken()).toBe(5)
  })

  it('ends when the bench is left', () => {
    const { taken, gesture, end } = busy()
    gesture(0)
    end()
    gesture(30)
    expect(taken()).toBe(0)
  })
})
