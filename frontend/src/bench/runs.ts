import type { StepView } from './types'

/** Steps that are shown as one from so many on. */
const LEAST = 3

/** Steps that stand together in the list: one, or a run of like repairs. */
export interface Run {
  key: string
  title: string
  steps: StepView[]
}

const alike = (one: StepView, other: StepView) =>
  one.station === 'clean' && one.station === other.station && one.step.op === other.step.op && one.title === other.title

/** Steps with those put together that follow one another and are like one another, as two dozen dabs are. */
export function runsOf(steps: StepView[]): Run[] {
  const together: StepView[][] = []
  for (const view of steps) {
    const last = together[together.length - 1]
    if (last?.[0] && alike(last[0], view)) last.push(view)
    else together.push([view])
  }
  return together.flatMap((run) => (run.length < LEAST ? run.map((view) => [view]) : [run])).map((run) => ({
    key: run[0]?.step.id ?? '', title: run[0]?.title ?? '', steps: run,
  }))
}
