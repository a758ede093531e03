import { computed, reactive, ref, shallowReactive, shallowRef } from 'vue'

import { api, Problem, taken, type LedgerChange, type LedgerView, type Schemas, type Step } from '../../api/client'
import { patiently } from '../../api/patience'
import { newId } from '../../common/ids'
import { scaleOf, valueOf } from '../../parts/scale'
import type { StepView } from '../types'
import type { DecksRoom } from './useDecks'

/** Whether what was asked of a ledger of the expected revision is in the one that there is now. */
type IsThere = (now: LedgerView, expected: number) => boolean
const isAnother: IsThere = (now, expected) => now.revision !== expected

export type Change = Schemas['PutStep'] | Schemas['RemoveStep'] | Schemas['MoveStep']

/** The answer where a ledger is not what it was expected to be. */
const STALE = 409

interface Around {
  photo: string
  decks: DecksRoom
  sayError: (error: unknown) => void
  /** The ledger, or the step under the hand, is another now: have it shown, finely or as quickly as it goes. */
  look: (fine: boolean) => void
}

/**
 * The photo's page and its ledger, with the step under the hand. Changes are saved one after the other; what the server
 * answers is what is shown.
 */
export function useLedger({ photo, decks, sayError, look }: Around) {
  const page = ref<Schemas['BenchPage'] | null>(null)
  const ledger = ref<LedgerView | null>(null)
  const opening = ref<StepView[]>([])
  const saving = ref(0)
  /** The server is away; what is to be saved waits for it. */
  const away = ref(false)
  /** A step that is being dragged and not saved yet. */
  const draft = shallowRef<Step | null>(null)
  const proposals = ref<Record<string, Record<string, number>>>({})
  /** The ledger as it was answered last: what the next answer changes. */
  let answered: LedgerView | null = null
  /** New steps on their way to the server: the next gesture changes these, and makes no second one. */
  const coming = shallowReactive(new Map<string, Step>())
  const path = { photo }
  let queue: Promise<unknown> = Promise.resolve()

  const steps = computed(() => ledger.value?.steps ?? [])
  const revision = computed(() => ledger.value?.revision)

  async function load() {
    page.value = taken(await api.GET('/api/photos/{photo}/bench', { params: { path } })) as Schemas['BenchPage']
    ledger.value = answered = page.value.ledger
    if (opening.value.length === 0) opening.value = page.value.ledger.steps
  }

  /** Saved after what came before. While the server is away it waits, and so does all that comes after. */
  function after(work: () => Promise<LedgerView | null>, isThere: IsThere = isAnother) {
    saving.value += 1
    const done = queue.then(() => kept(work, isThere)).catch(async (error: unknown) => {
      sayError(error)
      if (error instanceof Problem) await load()
      return null
    })
    queue = done.finally(() => (saving.value -= 1))
    return done
  }

  async function kept(work: () => Promise<LedgerView | null>, isThere: IsThere) {
    const { expected } = expectation()
    const missed = () => (away.value = true)
    try {
      return await patiently(work, missed)
    } catch (error) {
      if (!away.value || !(error instanceof Problem) || error.status !== STALE) throw error
      // it came through before the server went away, and only the answer was lost
      await patiently(load, missed)
      if (!ledger.value || !isThere(ledger.value, expected)) throw error
      return ledger.value
    } finally {
      away.value = false
    }
  }

  /** Changed and removed steps show at once, so that the next gesture starts from them; the answer replaces them. */
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
  const expectation = () => ({ expected: ledger.value?.revision ?? 0 })

  async function change(summary: string, changes: Change[]) {
    const fresh = changes.flatMap((one) => (one.kind === 'put' && !byId(one.step.id) ? [one.step] : []))
    for (const step of fresh) coming.set(step.op, step)
    ahead(changes)
    const saved = await after(async () => {
      const body = { ...expectation(), summary, changes }
      return follow(taken(await api.POST('/api/photos/{photo}/changes', { params: { path }, body })) as LedgerChange)
    }, (now, expected) => isAnother(now, expected) && now.summary === summary)
    for (const step of fresh) if (coming.get(step.op) === step) coming.delete(step.op)
    draft.value = null
    look(true)
    return saved
  }

  function putStep(summary: string, step: Step, before?: string) {
    return change(summary, [{ kind: 'put', step, before }])
  }

  function remove(id: string) {
    return change('Remove a step', [{ kind: 'remove', id }])
  }

  async function useRecipe(recipe: string) {
    draft.value = null
    await after(async () => {
      const params = { path: { photo, recipe } }
      const answer = await api.POST('/api/photos/{photo}/recipes/{recipe}', { params, body: expectation() })
      return follow(taken(answer) as LedgerChange)
    })
    look(true)
  }

  async function travel(way: 'undo' | 'redo') {
    draft.value = null
    await after(async () => {
      const answer = await api.POST(`/api/photos/{photo}/${way}`, { params: { path }, body: expectation() })
      return follow(taken(answer) as LedgerChange)
    })
    look(true)
  }

  /** A step under the hand: shown, not saved. */
  function drag(step: Step) {
    draft.value = step
    look(false)
  }

  function letGo() {
    draft.value = null
    look(true)
  }

  // ------------------------------------------------------------------------------------------- single steps

  function stepOf(op: string): Step | null {
    return coming.get(op) ?? steps.value.find((view) => view.step.op === op)?.step ?? null
  }

  function byId(id: string | null | undefined): Step | null {
    return (id && steps.value.find((view) => view.step.id === id)?.step) || null
  }

  /** The step as it was when the bench was opened, for the dot on a ruler. */
  function before(op: string): Step | null {
    return opening.value.find((view) => view.step.op === op)?.step ?? null
  }

  /** The one step of an operation that a deck works on, made as the operation begins when there is none yet. */
  function stepFor(op: string, params: Record<string, unknown>): Step {
    const present = stepOf(op)
    if (present) return { ...present, params: { ...present.params, ...params } }
    return { id: newId(), op, params: { ...(decks.of(op)?.alone ? decks.of(op)?.begun : {}), ...params }, enabled: true, strength: 1 }
  }

  function countOf(fits: (view: StepView) => boolean): number {
    return steps.value.filter(fits).length
  }

  // --------------------------------------------------------------------------------------------- proposals

  /** What the program would choose for each ruler; nothing where it cannot say. */
  async function propose() {
    try {
      proposals.value = taken(await api.GET('/api/photos/{photo}/proposals', { params: { path } }))
    } catch {
      proposals.value = {}
    }
  }

  /** Operations whose proposals are taken together: those of the deck where light and colour are set. */
  const proposed = computed(() => Object.entries(proposals.value).filter(([op]) => decks.of(op)?.station !== 'frame'))

  /** Take a share of everything proposed for light and colour, as one change. */
  async function takeProposals(share: number) {
    const changes = proposed.value.map(([op, params]): Change => {
      const part = Object.entries(params).map(([param, value]) => {
        const ruler = decks.ruler(op, param)
        if (!ruler) return [param, share * value]
        // a share of the way along the ruler: light is even in millionths of 1/K, not in K
        const scale = scaleOf(ruler)
        const [from, to] = [scale.toPlace(ruler.rest), scale.toPlace(value * ruler.times + ruler.plus)]
        return [param, valueOf(ruler, scale.toValue(from + share * (to - from)))]
      })
      return { kind: 'put', step: stepFor(op, Object.fromEntries(part)) }
    })
    if (changes.length) await change(`Take ${Math.round(100 * share)} % of the proposals`, changes)
  }

  return reactive({
    photo, page, ledger, revision, steps, saving, away, draft, proposals, proposed,
    load, change, putStep, remove, useRecipe, travel, drag, letGo, stepOf, byId, before, stepFor, countOf, propose, takeProposals,
  })
}

export type LedgerRoom = ReturnType<typeof useLedger>

export function changed(before: LedgerView, { splices, revision, can_undo, can_redo, summary }: LedgerChange): LedgerView {
  const steps = [...before.steps]
  for (const { at, gone, new: added } of splices) steps.splice(at, gone, ...added)
  return { revision, can_undo, can_redo, summary, steps }
}
