import { describe, expect, it } from 'vitest'

import { STAGES, standing, type Stage } from './stages'

describe('what a ticket waits for', () => {
  it.each<[Stage[], string]>([
    [[], 'no photos yet'],
    [['waiting', 'waiting'], 'waiting'],
    [['waiting', 'bench'], 'on the bench'],
    [['bench', 'checked', 'checked'], '2 ready to hand over'],
    [['checked', 'handed_over'], 'desk looks at 1'],
    [['handed_over', 'returned', 'accepted'], '1 returned by the desk'],
    [['accepted', 'accepted'], 'all accepted'],
    [['accepted', 'waiting', 'waiting'], '2 still waiting'],
  ])('%j: %s', (stages, said) => expect(standing(stages)).toBe(said))

  it('has words for every stage', () => {
    for (const stage of Object.keys(STAGES) as Stage[]) expect(STAGES[stage]).not.toBe('')
    expect(STAGES.bench).toBe('on the bench')
  })
})
