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
      spots.value = found.map((one) => ({ ...one, accepted: null }))
      at.value = 0
      visit()
    } catch {
      spots.value = null
    } finally {
      searching.value = false
    }
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
  /** What was not judged is accepted with `rest`, or else refused. */
  async function take(rest: boolean) {
    const judged = (spots.value ?? []).map((one) => ({
      x: round(one.x), y: round(one.y), size: round(one.size), accepted: one.accepted ?? rest,
    }))
    spots.value = null
    if (!judged.some((one) => one.accepted)) return
    await ledger.putStep('Specks', { id: newId(), op: 'specks', params: { spots: judged }, enabled: true, strength: 1 })
  }
  function leave() {
    spots.value = null
  }

  return reactive({ spots, at, limits, searching, find, judge, turn, take, leave })
}
