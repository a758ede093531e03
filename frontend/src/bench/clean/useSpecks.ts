import { reactive, ref, watch } from 'vue'

import { api, taken } from '../../api/client'
import { newId } from '../../common/ids'
import type { DecksRoom } from '../rooms/useDecks'
import type { LedgerRoom } from '../rooms/useLedger'
import type { ViewRoom } from '../rooms/useView'
import { round } from './shapes'

export interface Spot { x: number; y: number; size: number; contrast: number; accepted: boolean | null }

/** Specks that were found, gone through one by one: accepted, refused, and taken out as one step. */
export function useSpecks({ ledger, view, decks }: { ledger: LedgerRoom; view: ViewRoom; decks: DecksRoom }) {
  const spots = ref<Spot[] | null>(null)
  /** Those that stand among many like them, as the speckles of a glaze do: not gone through unless asked for. */
  const inThings = ref<Spot[]>([])
  const at = ref(0)
  const limits = ref<Record<string, number>>({})
  const searching = ref(false)

  watch(
    () => decks.all,
    (all) => (limits.value = Object.fromEntries(all?.specks.map((ruler) => [ruler.param, ruler.rest]) ?? [])),
    { immediate: true },
  )

  async function find() {
    searching.value = true
    try {
      const params = { path: { photo: ledger.photo }, query: limits.value }
      const found = taken(await api.GET('/api/photos/{photo}/specks', { params }))
      const undecided = found.map((one) => ({ ...one, accepted: null }))
      spots.value = undecided.filter((one) => !one.part_of_thing)
      inThings.value = undecided.filter((one) => one.part_of_thing)
      at.value = 0
      visit()
    } catch {
      leave()
    } finally {
      searching.value = false
    }
  }
  function goThroughThings() {
    const before = spots.value ?? []
    spots.value = [...before, ...inThings.value]
    inThings.value = []
    at.value = before.length
    visit()
  }
  function visit() {
    const now = spots.value?.[at.value]
    if (now) view.centreSource([now.x, now.y])
  }
  function judge(accepted: boolean) {
    const now = spots.value?.[at.value]
    if (!now) return
    now.accepted = accepted
    turn(1)
  }
  function turn(by: number) {
    const count = spots.value?.length ?? 0
    if (!count) return
    at.value = (at.value + by + count) % count
    visit()
  }
  /** What was not judged is accepted with `rest`, or else refused. What is refused is kept: the slip counts it no more. */
  async function take(rest: boolean) {
    const judged = (spots.value ?? []).map((one) => ({
      x: round(one.x), y: round(one.y), size: round(one.size), accepted: one.accepted ?? rest,
    }))
    leave()
    if (!judged.length) return
    await ledger.putStep('Specks', { id: newId(), op: 'specks', params: { spots: judged }, enabled: true, strength: 1 })
  }
  function leave() {
    spots.value = null
    inThings.value = []
  }

  return reactive({ spots, at, limits, searching, inThings, find, goThroughThings, judge, turn, take, leave })
}
