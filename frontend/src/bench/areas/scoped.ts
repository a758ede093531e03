import { computed, reactive, type ComputedRef } from 'vue'

import type { Step } from '../../api/client'
import { newId } from '../../common/ids'
import type { DecksRoom } from '../rooms/useDecks'
import type { LedgerRoom } from '../rooms/useLedger'
import type { StepView } from '../types'
import { heldBy } from './covers'

/**
 * The ledger as controls inside an area see it: its steps are the area's, and what is put goes into the area. What is of
 * the step itself, as a shade's own rulers are, goes where that stands.
 */
export function scopedTo(area: ComputedRef<Step | null>, ledger: LedgerRoom, decks: DecksRoom): LedgerRoom {
  const held = computed(() => heldBy(area.value))
  const views = computed(() =>
    held.value.map((step): StepView => ({ step, title: decks.of(step.op)?.title ?? step.op, station: decks.of(step.op)?.station ?? 'balance' }) as StepView),
  )
  const withSteps = (steps: Step[]): Step => ({ ...(area.value as Step), params: { ...area.value?.params, steps } })
  /** In the order in which they work, as on the whole picture. */
  function put(one: Step): Step[] {
    if (held.value.some((step) => step.id === one.id)) return held.value.map((step) => (step.id === one.id ? one : step))
    const rank = (step: Step) => decks.of(step.op)?.rank ?? 0
    const at = held.value.findIndex((step) => rank(step) > rank(one))
    return at < 0 ? [...held.value, one] : held.value.toSpliced(at, 0, one)
  }
  const stepOf = (op: string) => (area.value?.op === op ? area.value : (held.value.find((step) => step.op === op) ?? null))
  const whole = (one: Step) => (one.id === area.value?.id ? one : withSteps(put(one)))

  const own = reactive({
    steps: views,
    proposals: {},
    stepOf,
    byId: (id: string | null | undefined) => held.value.find((step) => step.id === id) ?? null,
    before: () => null,
    countOf: (fits: (view: StepView) => boolean) => views.value.filter(fits).length,
    stepFor(op: string, params: Record<string, unknown>): Step {
      const present = stepOf(op)
      if (present) return { ...present, params: { ...present.params, ...params } }
      const begun = decks.of(op)?.alone ? decks.of(op)?.begun : {}
      return { id: newId(), op, params: { ...begun, ...params }, enabled: true, strength: 1 }
    },
    putStep: (summary: string, one: Step) => ledger.putStep(summary, whole(one)),
    remove: (id: string) => id === area.value?.id ? ledger.remove(id) : ledger.putStep('Remove a step', withSteps(held.value.filter((step) => step.id !== id))),
    drag: (one: Step) => ledger.drag(whole(one)),
  })
  return new Proxy(ledger, { get: (all, name) => Reflect.get(name in own ? own : all, name) as unknown })
}
