import { beforeEach, describe, expect, it, vi } from 'vitest'

import type { LedgerRoom } from './rooms/useLedger'
import type { StepView } from './types'
import { useReorder } from './useReorder'

const step = (id: string, station: string) => ({ step: { id, op: id }, title: id.toUpperCase(), station }) as unknown as StepView
const STEPS = [step('a', 'clean'), step('b', 'clean'), step('c', 'clean'), step('tone', 'balance'), step('crop', 'frame')]
let change = vi.fn()

function reorder() {
  return useReorder({ steps: STEPS, change } as unknown as LedgerRoom)
}
const find = (id: string) => STEPS.find((one) => one.step.id === id) as StepView
/** Rows of 20 px, one under the other. */
function rows() {
  document.body.innerHTML = STEPS.map(({ step: { id } }) => `<li data-step="${id}"></li>`).join('')
  document.querySelectorAll('li').forEach((row, index) => {
    row.getBoundingClientRect = () => ({ top: 20 * index, height: 20 }) as DOMRect
  })
}
const pointer = (clientY: number, button = 0) => ({
  clientY, button, pointerId: 1, currentTarget: { setPointerCapture: () => undefined },
}) as unknown as PointerEvent
const moved = () => change.mock.calls.map(([, changes]) => (changes as { id: string; before: string | null }[])[0])

beforeEach(() => {
  change = vi.fn()
  rows()
})

describe('steps in the list', () => {
  it('are dragged before the one whose upper half they are over', () => {
    const { press, move, drop, inHand } = reorder()
    press(find('c'), pointer(50))
    move(pointer(5))
    expect(inHand.value).toEqual({ id: 'c', before: 'a' })
    expect(drop()).toBe(true)
    expect(moved()).toEqual([{ kind: 'move', id: 'c', before: 'a' }])
  })

  it('go to the end of their station, never into the next', () => {
    const { press, move, drop } = reorder()
    press(find('a'), pointer(10))
    move(pointer(95))
    drop()
    expect(moved()).toEqual([{ kind: 'move', id: 'a', before: 'tone' }])
  })

  it('are only clicked when the hand hardly moved, and stay when put where they were', () => {
    const { press, move, drop } = reorder()
    press(find('a'), pointer(10))
    move(pointer(13))
    expect(drop()).toBe(false)
    press(find('a'), pointer(10))
    move(pointer(2))
    expect(drop()).toBe(true)
    expect(change).not.toHaveBeenCalled()
  })

  it('are not taken up alone in their station or by another button', () => {
    const { press, move, drop } = reorder()
    press(find('tone'), pointer(70))
    move(pointer(0))
    press(find('a'), pointer(10, 2))
    move(pointer(90))
    expect(drop()).toBe(false)
  })

  it('are shifted by keys within their station', () => {
    const { shift } = reorder()
    shift(find('a'), 1)
    shift(find('b'), 1)
    shift(find('b'), -1)
    shift(find('a'), -1)
    shift(find('c'), 1)
    expect(moved().map((one) => [one?.id, one?.before])).toEqual([['a', 'c'], ['b', 'tone'], ['b', 'a']])
  })
})
