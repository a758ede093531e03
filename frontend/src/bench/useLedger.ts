import { computed, ref } from 'vue'

import { api, Problem, taken, type LedgerChange, type LedgerView, type Schemas, type Step } from '../api/client'

export type Change = Schemas['PutStep'] | Schemas['RemoveStep'] | Schemas['MoveStep']

/** The photo's page and its ledger. Changes are saved one after the other; what the server answers is what is shown. */
export function useLedger(photo: string, sayError: (error: unknown) => void) {
  const page = ref<Schemas['BenchPage'] | null>(null)
  const ledger = ref<LedgerView | null>(null)
  const opening = ref<Schemas['StepView'][]>([])
  const saving = ref(0)
  /** The ledger as it was answered last: what the next answer changes. */
  let answered: LedgerView | null = null
  const path = { photo }
  let queue: Promise<unknown> = Promise.resolve()

  const steps = computed(() => ledger.value?.steps ?? [])

  async function load() {
    page.value = taken(await api.GET('/api/photos/{photo}/bench', { params: { path } })) as Schemas['BenchPage']
    ledger.value = answered = page.value.ledger
    if (opening.value.length === 0) opening.value = page.value.ledger.steps
  }

  function after<T>(work: () => Promise<T>): Promise<T | null> {
    saving.value += 1
    const done = queue.then(work).catch(async (error: unknown) => {
      sayError(error)
      if (error instanceof Problem) await load()
      return null
    })
    queue = done.finally(() => (saving.value -= 1))
    return done
  }

  /** Changed and removed steps show at once, so that the next gesture starts from them; the server's answer replaces them. */
  function ahead(changes: Change[]) {
    const now = ledger.value
    if (!now) return
    const put = new Map(changes.flatMap((one) => (one.kind === 'put' ? [[one.step.id, one.step] as const] : [])))
    const removed = new Set(changes.flatMap((one) => (one.kind === 'remove' ? [one.id] : [])))
    const kept = now.steps.filter((view) => !removed.has(view.step.id ?? ''))
    ledger.value = { ...now, steps: kept.map((view) => ({ ...view, step: put.get(view.step.id) ?? view.step })) }
  }

  /** Take over what an answer changes; where it is not about the ledger that is here, the whole is fetched. */
  async function follow(change: LedgerChange) {
    if (answered?.revision !== change.before) await load()
    else ledger.value = answered = changed(answered, change)
    return ledger.value
  }

  function change(summary: string, changes: Change[]) {
    ahead(changes)
    return after(async () => {
      const body = { expected: ledger.value?.revision ?? 0, summary, changes }
      return follow(taken(await api.POST('/api/photos/{photo}/changes', { params: { path }, body })) as LedgerChange)
    })
  }

  function useRecipe(recipe: string) {
    return after(async () => {
      const body = { expected: ledger.value?.revision ?? 0 }
      await follow(taken(await api.POST('/api/photos/{photo}/recipes/{recipe}', { params: { path: { photo, recipe } }, body })) as LedgerChange)
    })
  }

  /** What the program would choose for each ruler; nothing where it cannot say. */
  async function propose(): Promise<Record<string, Record<string, number>>> {
    try {
      return taken(await api.GET('/api/photos/{photo}/proposals', { params: { path } }))
    } catch {
      return {}
    }
  }

  function undo() {
    return after(async () => {
      const body = { expected: ledger.value?.revision ?? 0 }
      await follow(taken(await api.POST('/api/photos/{photo}/undo', { params: { path }, body })) as LedgerChange)
    })
  }

  function redo() {
    return after(async () => {
      const body = { expected: ledger.value?.revision ?? 0 }
      await follow(taken(await api.POST('/api/photos/{photo}/redo', { params: { path }, body })) as LedgerChange)
    })
  }

  function stepOf(op: string): Step | null {
    return steps.value.find((view) => view.step.op === op)?.step ?? null
  }

  /** The step as it was when the bench was opened, for the dot on a ruler. */
  function before(op: string): Step | null {
    return opening.value.find((view) => view.step.op === op)?.step ?? null
  }

  return { page, ledger, steps, saving, load, change, useRecipe, propose, undo, redo, stepOf, before }
}

export function changed(before: LedgerView, { splices, revision, can_undo, can_redo, summary }: LedgerChange): LedgerView {
  const steps = [...before.steps]
  for (const { at, gone, new: added } of splices) steps.splice(at, gone, ...added)
  return { revision, can_undo, can_redo, summary, steps }
}

export function newId(): string {
  return crypto.getRandomValues(new Uint32Array(2)).reduce((text, part) => text + part.toString(16).padStart(8, '0'), '')
}
