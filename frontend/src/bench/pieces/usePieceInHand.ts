import { computed, shallowRef, watch } from 'vue'

import { api, taken, type Schemas, type Step } from '../../api/client'
import { tryingWith } from '../../common/trying'
import type { AreasRoom } from '../areas/useAreas'
import type { PlanesRoom } from '../clean/usePlanes'
import type { Point } from '../picture/geometry'
import type { ViewSpec } from '../picture/sphere'
import type { DecksRoom } from '../rooms/useDecks'
import type { LedgerRoom } from '../rooms/useLedger'
import type { ToolsRoom } from '../rooms/useTools'
import type { ViewRoom } from '../rooms/useView'
import { lyingNow, middleOf, withParams, type Four, type Lying } from './placing'

export interface Around {
  decks: DecksRoom
  ledger: LedgerRoom
  tools: ToolsRoom
  areas: AreasRoom
  planes: PlanesRoom
  view: ViewRoom
  sayError: (error: unknown) => void
}

/** A band in which the edge is found, photo pixels: wide for hair; a sky is told by its colour from leaf to leaf already. */
const BANDS = { subject: 24, sky: 8 }
/** One shape with its fine edge. */
export const finely = (shape: { kind: 'sky' } | { kind: 'subject'; around?: Point[] }) => ({ parts: [{ shape }], fine: { band: BANDS[shape.kind] } })

/** The piece that is taken up, and where it lies. */
export function usePieceInHand({ decks, ledger, tools, view, sayError }: Around) {
  const trying = tryingWith(sayError)
  const piece = computed<Step | null>(() => {
    const step = ledger.byId(tools.selected)
    return step && decks.of(step.op)?.station === 'pieces' ? step : null
  })
  /** As it is shown: with what is under the hand. */
  const current = computed(() => (piece.value && ledger.draft?.id === piece.value.id ? ledger.draft : piece.value))

  /** Where the piece was saved to lie, and the step that it was so for. */
  const told = shallowRef<{ step: Step; lying: Lying } | null>(null)
  const path = (step: string) => ({ photo: ledger.photo, step })
  async function ask(step: Step) {
    if (step.enabled === false) return
    const found = await trying(async () =>
      taken(await api.GET('/api/photos/{photo}/steps/{step}/lying', { params: { path: path(step.id ?? '') } })) as Schemas['LyingView'],
    )
    if (found && piece.value?.id === step.id) told.value = { step, lying: found as unknown as Lying }
  }
  // asked of what is saved: a step that is on its way there is not known yet
  watch(
    () => [piece.value, ledger.saving, tools.station] as const,
    ([now, saving, station]) => {
      if (!now) told.value = null
      else if (saving === 0 && station === 'pieces' && told.value?.step !== now) void ask(now)
    },
    { immediate: true },
  )
  const lying = computed(() => (told.value && told.value.step.id === current.value?.id ? told.value.lying : null))
  const four = computed<Four | null>(() => (told.value && lying.value && current.value ? lyingNow(told.value.step, told.value.lying, current.value) : null))

  /** The view into a panorama that the piece lies in; none for one on the flat picture. */
  const seenIn = computed<ViewSpec | null>(() => lying.value?.view ?? null)
  /** Between places of the stage, of the photo, and those that the piece's are counted in. */
  const ways = computed(() => view.drawnIn(seenIn.value))
  /** Stage pixels for one of those, where the piece lies. */
  const scale = computed(() => view.scaleIn(seenIn.value, four.value ? middleOf(four.value) : [0, 0]))

  const put = (summary: string, step: Step) => ledger.putStep(summary, step)
  const set = (summary: string, params: Record<string, unknown>) => (piece.value ? put(summary, withParams(piece.value, params)) : undefined)

  /** Half seen through while aligned (common practice), at a held key. */
  function half(on: boolean) {
    if (on && piece.value) ledger.drag({ ...piece.value, strength: (piece.value.strength ?? 1) / 2 })
    else if (!on && halved) ledger.letGo()
    halved = on
  }
  let halved = false
  return { trying, piece, current, path, lying, four, seenIn, ways, scale, put, set, half }
}

export type PieceInHand = ReturnType<typeof usePieceInHand>
