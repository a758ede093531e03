import { describe, expect, it } from 'vitest'
import { nextTick, ref } from 'vue'

import { useFolding } from './useFolding'

const line = (requirement: string, state: string) => ({ requirement, what: requirement, state })

function folding(states: string[], others: number, room = 600) {
  const lines = ref(states.map((state, number) => line(`line ${number}`, state)))
  const found = useFolding(ref(room), () => lines.value, () => others)
  return { ...found, lines, hiddenOnes: () => lines.value.map(found.hidden) }
}
const TWELVE = Array.from({ length: 12 }, (_, number) => (number === 3 ? 'short' : number === 5 ? 'open' : 'holds'))

describe('the slip gives the steps room', () => {
  it('folds what holds where both do not fit, and nothing where they do', () => {
    expect(folding(TWELVE, 300).hiddenOnes()).toEqual(TWELVE.map((state) => state === 'holds'))
    expect(folding(TWELVE, 200).foldable.value).toBe(false)
    expect(folding(TWELVE, 300, 900).folded.value).toBe(false)
  })

  it('folds nothing before it knows how much room there is, and not for two lines', () => {
    expect(folding(TWELVE, 900, 0).foldable.value).toBe(false)
    expect(folding(['holds', 'holds', ...Array<string>(10).fill('short')], 900).foldable.value).toBe(false)
  })

  it('stays open once a person opened it', () => {
    const { open, folded, foldable, hiddenOnes } = folding(TWELVE, 300)
    open.value = true
    expect([folded.value, foldable.value]).toEqual([false, true])
    expect(hiddenOnes()).not.toContain(true)
  })

  it('leaves a line where it was while it is measured, and shows it when it is short', async () => {
    const { lines, hidden } = folding(TWELVE, 300)
    const become = async (state: string) => {
      lines.value = lines.value.map((one, number) => (number === 0 ? line('line 0', state) : one))
      await nextTick()
      return lines.value.slice(0, 1).some(hidden)
    }
    expect(await become('measuring')).toBe(true)
    expect(await become('short')).toBe(false)
    expect(await become('measuring')).toBe(false)
    expect(await become('holds')).toBe(true)
  })
})
