import { describe, expect, it } from 'vitest'

import { runsOf } from './runs'
import type { StepView } from './types'

const view = (id: string, op: string, title = op, station = 'clean') => ({ step: { id, op }, title, station }) as StepView
const found = (steps: StepView[]) => runsOf(steps).map((run) => `${run.title} ${run.steps.length}`)

describe('runs of like repairs', () => {
  it('stand together from three on, where one follows another', () => {
    const dabs = [1, 2, 3].map((number) => view(`d${number}`, 'dab'))
    expect(found([...dabs, view('h', 'heal')])).toEqual(['dab 3', 'heal 1'])
    expect(found([...dabs.slice(1), view('h', 'heal'), view('d4', 'dab')])).toEqual(['dab 1', 'dab 1', 'heal 1', 'dab 1'])
    expect(runsOf(dabs)[0]?.key).toBe('d1')
  })

  it('are of Clean, and of one name', () => {
    expect(found([1, 2, 3].map((number) => view(`p${number}`, 'piece', 'piece', 'pieces')))).toEqual(['piece 1', 'piece 1', 'piece 1'])
    expect(found([1, 2, 3].map((number) => view(`s${number}`, 'specks', `Specks · ${number}`)))).toHaveLength(3)
  })
})
