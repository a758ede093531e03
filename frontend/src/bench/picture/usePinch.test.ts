import { describe, expect, it, vi } from 'vitest'

import { usePinch } from './usePinch'

function pinch() {
  const bench = { pan: vi.fn(), closer: vi.fn() }
  const made = usePinch(bench, (event) => ({ x: event.clientX, y: event.clientY }))
  const finger = (pointerId: number, clientX: number, clientY: number, pointerType = 'touch') => ({ pointerId, clientX, clientY, pointerType }) as PointerEvent
  return { bench, made, finger }
}

describe('two fingers on the picture', () => {
  it('take the tool out of hand, one does not', () => {
    const { made, finger } = pinch()
    expect(made.down(finger(1, 0, 0))).toBe(false)
    expect(made.move(finger(1, 5, 0))).toBe(false)
    expect(made.down(finger(2, 100, 0))).toBe(true)
  })

  it('move the picture by their middle and scale it by their distance, about the middle', () => {
    const { bench, made, finger } = pinch()
    made.down(finger(1, 0, 0))
    made.down(finger(2, 100, 0))
    expect(made.move(finger(2, 200, 0))).toBe(true)
    expect(bench.pan).toHaveBeenCalledWith(50, 0)
    expect(bench.closer).toHaveBeenCalledWith(2, 100, 0)
  })

  it('do nothing once one is lifted, and a pen never pinches', () => {
    const { bench, made, finger } = pinch()
    made.down(finger(1, 0, 0))
    made.down(finger(2, 100, 0))
    made.up(finger(1, 0, 0))
    expect(made.move(finger(2, 300, 0))).toBe(false)
    expect(made.down(finger(3, 0, 0, 'pen'))).toBe(false)
    expect(bench.closer).not.toHaveBeenCalled()
  })
})
