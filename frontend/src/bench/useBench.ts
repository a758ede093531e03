import { useEventListener } from '@vueuse/core'
import { computed, inject, nextTick, provide, toRef, watch, type InjectionKey } from 'vue'
import { useRouter } from 'vue-router'

import { useSaying } from '../common/useSaying'
import { useAreas } from './areas/useAreas'
import { useClean } from './clean/useClean'
import { usePainting } from './clean/usePainting'
import { usePlaces } from './clean/usePlaces'
import { usePlanes } from './clean/usePlanes'
import type { Point } from './picture/geometry'
import type { SphereSpec } from './picture/sphere'
import { usePieces } from './pieces/usePieces'
import { useDecks } from './rooms/useDecks'
import { useFrames } from './rooms/useFrames'
import { useLedger } from './rooms/useLedger'
import { useProof } from './rooms/useProof'
import { useRound } from './rooms/useRound'
import { useTools } from './rooms/useTools'
import { useView } from './rooms/useView'
import { useWalkover } from './rooms/useWalkover'

/** Fine frames come when the hand has rested this long, milliseconds. */
const REST = 160

/** One open photo: its rooms, and what of one is the others' business. */
export function useBench(photo: string) {
  const { sayError, sayProblem } = useSaying()
  const router = useRouter()
  const decks = useDecks()
  const proof = useProof()
  const ledger = useLedger({ photo, decks, sayError, look })
  const tools = useTools(decks, ledger)
  const frames = useFrames({
    photo,
    sayProblem,
    grown: () => view.grown(),
  })
  const view = useView({
    head: toRef(frames, 'head'),
    whole: toRef(tools, 'whole'),
    side: computed(() => (proof.way === 'pair' ? 2 : 1)),
    photoSize: computed<Point>(() => [ledger.page?.photo.width ?? 1, ledger.page?.photo.height ?? 1]),
    sphere: computed(() => (ledger.page?.sphere as SphereSpec | null | undefined) ?? null),
    look,
  })
  const planes = usePlanes({ shapes: computed(() => frames.head?.planes), ledger, tools, view, sayError, sayProblem })
  const clean = useClean({ ledger, tools, decks, view, planes })
  const places = usePlaces({ ledger, tools, view, tip: () => clean.brush.size ?? 1, sayError })
  const areas = useAreas({ decks, ledger, tools, clean, view, sayError })
  const pieces = usePieces({ decks, ledger, tools, areas, planes, view, sayError })
  const painting = usePainting({ decks, tools, view, clean })
  const round = useRound({ ledger, measureAgain: frames.measureAgain, sayError })

  let resting: ReturnType<typeof setTimeout> | undefined
  /** Ask for a frame of what is looked at now. */
  function look(fine = true) {
    clearTimeout(resting)
    const { stage, at, room } = view
    if (ledger.revision === undefined || stage.width < 2) return
    const ratio = Math.min(devicePixelRatio || 1, 2)
    frames.look({
      revision: ledger.revision,
      view: {
        left: at.left,
        top: at.top,
        scale: at.scale * ratio,
        width: Math.round(room * ratio),
        height: Math.round(stage.height * ratio),
        whole: tools.whole,
        around: view.around.on ? view.around.eye : null,
      },
      draft: ledger.draft,
      original: proof.original,
      beside: proof.way !== 'none' && !proof.original,
      lamp: proof.lamp,
      cover: areas.look,
      fine,
      surround: proof.surround,
    })
    if (!fine) resting = setTimeout(look, REST)
  }

  /** Everything is saved, and what is shown is a fine frame of it. */
  const settled = computed(() => {
    const now = frames.head
    if (!now?.fine || now.draft || ledger.saving || now.revision !== ledger.revision) return false
    const here = JSON.stringify(now.view.around ?? null) === JSON.stringify(view.around.on ? view.around.eye : null)
    if (!here) return false
    return now.view.whole === tools.whole && (proof.original || ((now.lamp ?? null) === proof.lamp && (now.cover ?? null) === (areas.look?.step ?? null)))
  })
  useEventListener(window, 'beforeunload', (event) => {
    if (ledger.saving) event.preventDefault()
  })
  const walkover = useWalkover({ ledger, view, frames, tools, proof, settled })

  watch([() => proof.original, () => proof.surround, () => proof.lamp, () => areas.look], () => look())
  watch(
    () => proof.way,
    () => {
      frames.forgetBeside()
      if (view.fitted) view.fit()
      else look()
    },
  )
  watch(
    () => tools.station,
    () => painting.cancel(),
  )
  /** Where one was before Frame showed the whole picture; one comes back to it. */
  let left: { at: typeof view.at; fitted: boolean } | null = null
  watch(
    () => tools.whole,
    (now) => {
      const back = left
      left = now ? { at: view.at, fitted: view.fitted } : null
      if (now) proof.way = 'none'
      if (now || !back || back.fitted) view.fit()
      else view.goTo(back.at)
    },
  )

  /** Leave Frame, where nothing is judged, before `act`. */
  function judging(act: () => void) {
    if (!tools.whole) return act()
    tools.station = 'check'
    void nextTick(act)
  }

  /** The photos that one goes through: what is only material for others is opened from the ticket. */
  const siblings = computed(() => (ledger.page?.siblings ?? []).filter((one) => !one.material || one.id === photo))
  const place = computed(() => siblings.value.findIndex((one) => one.id === photo))
  /** To another photo of the ticket. */
  function go(by: number) {
    const next = siblings.value[place.value + by]
    if (next) void router.push(`/photos/${next.id}`)
  }

  async function open() {
    await Promise.all([decks.load(), ledger.load()])
    look()
    void ledger.propose()
  }

  return {
    photo, decks, proof, ledger, tools, frames, view, planes, clean, places, areas, pieces, painting, round, walkover,
    settled, siblings, place, look, judging, go, open,
  }
}

export type Bench = ReturnType<typeof useBench>
const key: InjectionKey<Bench> = Symbol('bench')

export function provideBench(bench: Bench) {
  provide(key, bench)
}

export function theBench(): Bench {
  const bench = inject(key)
  if (!bench) throw new Error('no bench is open')
  return bench
}
