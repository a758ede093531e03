import { computed, reactive, ref, shallowRef, watch } from 'vue'

import { api, taken, type Step } from '../../api/client'
import { newId } from '../../common/ids'
import { clamp, valueOf } from '../../parts/scale'
import type { Point } from '../picture/geometry'
import type { DecksRoom } from '../rooms/useDecks'
import type { LedgerRoom } from '../rooms/useLedger'
import type { ToolsRoom } from '../rooms/useTools'
import type { ViewRoom } from '../rooms/useView'
import type { Stroke } from '../types'
import { round } from './shapes'
import { offsetInto, offsetOutOf, PHOTO } from './tips'
import type { PlanesRoom } from './usePlanes'
import { useSpecks } from './useSpecks'

export type Outlines = 'always' | 'hover' | 'active' | 'never'
export const OUTLINES: Outlines[] = ['always', 'hover', 'active', 'never']
type Mirror = 'none' | 'across' | 'down'

interface Around {
  ledger: LedgerRoom
  tools: ToolsRoom
  decks: DecksRoom
  view: ViewRoom
  planes: PlanesRoom
}

/** What Clean holds in hand: the tip, the clone source, places that are gathered, the hint, the specks under review. */
export function useClean({ ledger, tools, decks, view, planes }: Around) {
  /** Numbers of the tip by name, in the values of a stroke; feather is an outline's, strength a step's. */
  const brush = ref<Record<string, number>>({})
  const outlines = ref<Outlines>('hover')
  /** Where a clone takes from: set by hand, then either keeping its offset from stroke to stroke or starting over. */
  const cloning = ref<{ source: Point | null; offset: Point | null; follow: boolean; turn: number; mirror: Mirror }>({
    source: null, offset: null, follow: true, turn: 0, mirror: 'none',
  })
  /** Strokes of a place in several parts, until it is run. */
  const gathered = ref<Stroke[]>([])
  const gathering = ref(false)
  const hint = ref<{ step: string; method: string; why: string; instead?: string } | null>(null)
  /** Whether a method gives way at once to one that surely fits a place better. */
  const yielding = ref(true)
  const lastEnd = shallowRef<Point | null>(null)
  /** Whether repairs are made on the picture with its pieces, instead of on the photo under them. */
  const above = ref(false)

  watch(
    () => decks.all,
    (all) => {
      if (!all || brush.value.size) return
      const rulers = [...all.tip, all.feather, all.strength]
      brush.value = Object.fromEntries(rulers.map((ruler) => [ruler.param, valueOf(ruler, ruler.rest)]))
    },
    { immediate: true },
  )

  /** The plane in hand, else the view that is looked through; nothing for the photo's own. */
  function chartOf(): Step['chart'] {
    return planes.inHand ? { kind: 'plane', step: planes.inHand } : view.spec
  }

  const repair = computed<Step | null>(() => {
    const step = ledger.byId(tools.selected)
    return step && decks.of(step.op)?.station === 'clean' ? step : null
  })

  /** A tip's number, as the method in hand has it: one without a ruler for it stays at rest. */
  function ofTip(param: string, method = tools.tool): number {
    const ruler = decks.tip(param)
    return decks.hasTip(method, param) ? (brush.value[param] ?? 0) : ruler ? valueOf(ruler, ruler.rest) : 0
  }

  /** Set a number of the tip, kept between the ends of its ruler. */
  function setTip(param: string, value: number) {
    const ruler = decks.tip(param)
    if (!ruler) return
    const ends = [valueOf(ruler, ruler.low), valueOf(ruler, ruler.high)]
    brush.value[param] = clamp(value, Math.min(...ends), Math.max(...ends))
  }

  function stroke(points: [number, number, number][]): Stroke {
    return {
      points, size: round(ofTip('size')), hardness: round(ofTip('hardness')), opacity: 1,
      flow: ofTip('flow'), spacing: ofTip('spacing'), roundness: ofTip('roundness'), angle: ofTip('angle'),
    }
  }

  /** The plane of the scene in hand; none where the method does not work in one. */
  const scene = computed(() => (decks.of(tools.tool)?.charted ? planes.sceneIn(planes.inHand) : null))

  /** Strokes as a mask: where a plane is in hand the tip lies in it. */
  function painted(strokes: Stroke[]): Step['mask'] {
    return { kind: 'strokes', strokes, view: view.spec, ...(scene.value ? { round_in: 'plane' as const } : {}) }
  }

  /** From where a clone's stroke begins to its source; nothing before one was chosen. */
  function cloneOffset(start: Point): Point | null {
    const { source, offset, follow } = cloning.value
    if (follow && offset) return offsetOutOf(scene.value ?? PHOTO, start, offset)
    return source && [source[0] - start[0], source[1] - start[1]]
  }
  /** What the next strokes keep to: an offset of the photo, or of the plane in hand. */
  function keepOffset(start: Point, offset: Point) {
    const kept = offsetInto(scene.value ?? PHOTO, start, offset)
    cloning.value.offset = kept.every(Number.isFinite) ? kept : null
  }
  watch(
    () => planes.inHand,
    () => (cloning.value.offset = null),
  )

  /** What a method starts with at a place. */
  function paramsFor(op: string, start: Point): Record<string, unknown> {
    if (op !== 'clone') return {}
    const { turn, mirror } = cloning.value
    const offset = cloneOffset(start)
    if (!offset) return { turn, mirror }
    keepOffset(start, offset)
    return { turn, mirror, source: { dx: Math.round(offset[0]), dy: Math.round(offset[1]) } }
  }

  async function put(op: string, mask: Step['mask'], params: Record<string, unknown>) {
    const about = decks.of(op)
    const raised = above.value ? { above: true } : {}
    const chart = about?.charted ? chartOf() : undefined
    const strength = about?.tunable ? (brush.value.strength ?? 1) : 1
    const step: Step = { id: newId(), op, params, mask, ...(chart ? { chart } : {}), ...raised, enabled: true, strength }
    hint.value = null
    const saved = await ledger.putStep(about?.title ?? op, step)
    if (!saved) return
    // a source that was brought onto a pattern keeps to it with the next stroke
    const { source } = (ledger.byId(step.id)?.params ?? {}) as { source?: { dx: number; dy: number } }
    const first = mask?.kind === 'strokes' ? mask.strokes[0]?.points[0] : undefined
    if (op === 'clone' && source && first) keepOffset(view.sourceOfHand([first[0], first[1]]), [source.dx, source.dy])
    // one click with nothing to set is looked at; anything else is taken up, so that it can be changed at once
    if (about?.gesture !== 'click' || about.controls.length) tools.selected = step.id ?? null
    if (about?.advised) void askHint(step)
  }

  /** Grow everything that was gathered, as one step. */
  async function run() {
    const strokes = gathered.value
    const first = strokes[0]?.points[0]
    if (!first) return
    gathered.value = []
    await put(tools.tool, painted(strokes), paramsFor(tools.tool, view.sourceOfHand([first[0], first[1]])))
  }

  async function askHint(step: Step) {
    try {
      const path = { photo: ledger.photo, step: step.id ?? '' }
      const found = taken(await api.GET('/api/photos/{photo}/steps/{step}/method', { params: { path } }))
      const now = { step: step.id ?? '', method: found.method ?? '', why: found.why ?? '' }
      const held = tools.selected === step.id
      if (found.by_default && yielding.value) {
        // also where the hand is at the next place already; not where it was changed or taken away meanwhile
        const present = ledger.byId(step.id)
        if (present?.op !== step.op) return
        await switchTo(present, now.method)
        if (held) hint.value = { ...now, instead: step.op }
      } else if (now.method && now.method !== step.op && held) hint.value = now
    } catch {
      hint.value = null
    }
  }
  /** Take the method that fits; or back what was meant, where that gave way to it. */
  async function takeHint() {
    const now = hint.value
    const step = ledger.byId(now?.step)
    hint.value = null
    if (now && step) await switchTo(step, now.instead ?? now.method)
  }

  /** The same place by another method; what both know, such as a source, stays. */
  async function switchTo(step: Step, op: string) {
    const known = decks.of(op)?.params ?? []
    const keeps = Object.entries(step.params ?? {}).filter(([param]) => known.includes(param))
    const held = tools.selected === step.id
    await ledger.putStep(`${decks.of(op)?.title ?? op} instead of ${decks.called(step.op)}`, { ...step, op, params: Object.fromEntries(keeps) })
    if (!held) return
    tools.selected = step.id ?? null
    hint.value = null
  }

  const specks = useSpecks({ ledger, view, decks })

  watch(
    () => tools.tool,
    (now) => {
      gathered.value = []
      hint.value = null
      if (now !== 'specks') specks.leave()
    },
  )

  return reactive({
    brush, outlines, cloning, gathered, gathering, hint, yielding, lastEnd, above, repair, specks,
    scene, ofTip, setTip, stroke, painted, cloneOffset, paramsFor, put, run, takeHint, switchTo,
  })
}

export type CleanRoom = ReturnType<typeof useClean>
