import { computed, inject, nextTick, provide, ref, shallowRef, watch, type InjectionKey } from 'vue'

import type { Step, Verdict } from '../api/client'
import { clamp } from '../parts/scale'
import { useSaying } from '../useSaying'
import { methodOf } from './clean/methods'
import { useClean } from './clean/useClean'
import { apply, type Point } from './geometry'
import { newId, useLedger, type Change } from './useLedger'
import type { Guide } from './overlays/guides'
import { useSocket, type FrameHead, type NeutralMark } from './useSocket'
import { useRound } from './useRound'
import { useView } from './useView'
import type { Walkover } from './useWalkover'

export type StationName = 'frame' | 'balance' | 'clean' | 'finish' | 'check'
export type CleanTool =
  | 'dab' | 'heal' | 'clone' | 'patch' | 'regrow' | 'calm' | 'unthread' | 'relocate' | 'nudge' | 'restore' | 'grain' | 'redeye'
  | 'fence' | 'avoid' | 'specks'
export type Tool = 'crop' | 'line' | 'corners' | 'look' | 'neutral' | 'hue' | 'note' | CleanTool
export type LampName = 'cast' | 'speck' | 'clip' | 'repeat' | 'mask' | 'level'
/** The lamps in the order of the bar, with their keys. */
export const LAMPS: { name: LampName; key: string }[] = [
  { name: 'cast', key: 'q' },
  { name: 'speck', key: 'e' },
  { name: 'clip', key: 'x' },
  { name: 'repeat', key: 'r' },
  { name: 'mask', key: 'm' },
  { name: 'level', key: 'v' },
]
export type Proof = 'none' | 'wipe' | 'pair'

/** A piece of the shown picture, drawn elsewhere: a path, filled or as wide as `width`, and what lies `shift` from it. */
export interface Ghost { path: string; width: number | null; shift: Point; about: Point; turn: number; mirror: string; alpha: number }

/** A square of the photo that is picked for its colour, source pixels. */
export interface Place { x: number; y: number; size: number }

/** Where both rulers of white balance rest: daylight, as the server counts it. */
export const DAYLIGHT = 6507

/** Everything about one open photo: its ledger, the view, the frames, the tool in hand. */
export function useBench(photo: string) {
  const { sayError, sayProblem } = useSaying()
  const ledger = useLedger(photo, sayError)

  const station = ref<StationName>('balance')
  const tool = ref<Tool>('look')
  const selected = ref<string | null>(null)
  const draft = shallowRef<Step | null>(null)
  const original = ref(false)
  const surround = ref(0x77)
  const pickSize = ref(24)

  /** Which group of rulers Balance shows, and which hue band is taken up. */
  const panel = ref('Tone')
  const band = ref(0)

  const lamp = ref<LampName | null>(null)
  const help = ref(false)
  const guide = ref<Guide>('thirds')
  const proof = ref<Proof>('none')
  /** Where the wipe line stands, as a share of the stage's width. */
  const wipe = ref(0.5)
  const proposals = ref<Record<string, Record<string, number>>>({})
  const histogram = shallowRef<number[][]>([])
  /** Where the hand is on the stage; keys come closer there. */
  const cursor = ref<{ x: number; y: number } | null>(null)
  const underCursor = ref<[number, number, number] | null>(null)

  /** The photo as it came, for wipe and pair, with the head of its frame. */
  const beside = shallowRef<{ head: FrameHead; picture: ImageBitmap } | null>(null)
  const head = shallowRef<FrameHead | null>(null)
  const picture = shallowRef<ImageBitmap | null>(null)
  const verdicts = ref<Verdict[]>([])
  const neutrals = ref<NeutralMark[]>([])

  const whole = computed(() => station.value === 'frame')
  const side = computed(() => (proof.value === 'pair' ? 2 : 1))
  const photoSize = computed<Point>(() => [ledger.page.value?.photo.width ?? 1, ledger.page.value?.photo.height ?? 1])
  const seen = useView({ head, whole, side, photoSize, look })
  const { stage, view, fitted, room, fit, zoom, showFrom } = seen
  const clean = useClean({ photo, tool, selected, steps: ledger.steps, putStep, centre: centreSource })
  const { brush } = clean
  /** What the hand carries, drawn by the page from the frame it has. */
  const ghost = shallowRef<Ghost | null>(null)

  const socket = useSocket(photo, {
    frame(next, bitmap) {
      if (next.beside && next.original) {
        beside.value?.picture.close()
        beside.value = { head: next, picture: bitmap }
        return
      }
      const grew = !head.value || String(head.value.size) !== String(next.size) || head.value.angle !== next.angle || String(head.value.turned) !== String(next.turned)
      head.value = next
      picture.value?.close()
      picture.value = bitmap
      if (grew && fitted.value) fit()
    },
    slip(lines, marks, tones) {
      verdicts.value = lines
      neutrals.value = marks
      histogram.value = tones
    },
    busy(steps) {
      clean.busy.value = steps
    },
    problem: sayProblem,
  })

  // ------------------------------------------------------------------------------------------- looking

  let resting: ReturnType<typeof setTimeout> | undefined
  function look(fine = true) {
    clearTimeout(resting)
    const revision = ledger.ledger.value?.revision
    if (revision === undefined || stage.value.width < 2) return
    const ratio = Math.min(devicePixelRatio || 1, 2)
    socket.look({
      revision,
      view: {
        left: view.value.left,
        top: view.value.top,
        scale: view.value.scale * ratio,
        width: Math.round(room.value * ratio),
        height: Math.round(stage.value.height * ratio),
        whole: whole.value,
      },
      draft: draft.value ?? undefined,
      original: original.value,
      beside: proof.value !== 'none' && !original.value,
      lamp: lamp.value ?? undefined,
      fine,
      surround: surround.value,
    })
    if (!fine) resting = setTimeout(look, 160)
  }

  /** As large as the buyer sees it: delivered pixels one to one. */
  function buyersSize() {
    const now = head.value
    const long = ledger.page.value?.long_side
    if (!now) return
    if (station.value === 'frame') station.value = 'check'
    zoom(long ? Math.min(1, long / Math.max(...now.size)) : 1)
  }

  /** Bring a box of result pixels into view at 100 %. */
  function show(where: [number, number, number, number]) {
    station.value = station.value === 'frame' ? 'check' : station.value
    showFrom(where[0] + where[2] / 2 - room.value / 2, where[1] + where[3] / 2 - stage.value.height / 2)
  }

  /** Bring a source place to the middle of the stage, at 100 % or closer. */
  function centreSource(point: Point) {
    const [x, y] = apply(seen.fromResult.value, point)
    if (view.value.scale < 1) zoom(1)
    seen.centre([x, y])
  }

  /** Take a repair up to change it, with its method in hand. */
  function takeUpRepair(id: string) {
    const step = ledger.steps.value.find((one) => one.step.id === id)?.step
    if (!step) return
    tool.value = step.op as CleanTool
    void nextTick(() => (selected.value = id))
  }

  // ------------------------------------------------------------------------------------------- changing

  function dragStep(step: Step) {
    draft.value = step
    look(false)
  }

  async function change(summary: string, changes: Change[]) {
    const saved = await ledger.change(summary, changes)
    draft.value = null
    look()
    return saved
  }

  async function useRecipe(recipe: string) {
    draft.value = null
    await ledger.useRecipe(recipe)
    look()
  }

  async function propose() {
    proposals.value = await ledger.propose()
  }

  /** Take a share of everything proposed for light and colour, as one change. */
  async function takeProposals(share: number) {
    const rests: Record<string, number> = { temperature: DAYLIGHT }
    const changes: Change[] = []
    for (const [op, params] of Object.entries(proposals.value)) {
      if (op === 'straighten') continue
      const taken = Object.entries(params).map(([name, value]) => {
        const rest = rests[name] ?? 0
        // light is even in millionths of 1/K, not in K
        const to = name === 'temperature' ? 1e6 / (1e6 / rest + share * (1e6 / value - 1e6 / rest)) : share * value
        return [name, name === 'temperature' ? Math.round(to) : Math.round(to * 100) / 100]
      })
      changes.push({ kind: 'put', step: stepFor(op, Object.fromEntries(taken)) })
    }
    if (changes.length) await change(`Take ${Math.round(100 * share)} % of the proposals`, changes)
  }

  function putStep(summary: string, step: Step, before?: string) {
    return change(summary, [{ kind: 'put', step, before }])
  }

  /** The one step of an op that a ruler works on, made when there is none yet. */
  function stepFor(op: string, params: Record<string, unknown>): Step {
    const present = ledger.stepOf(op)
    if (present) return { ...present, params: { ...present.params, ...params } }
    return { id: newId(), op, params, enabled: true, strength: 1 }
  }

  function countOf(ops: string[]): number {
    return ledger.steps.value.filter((view) => ops.includes(view.step.op)).length
  }

  /** Take a tool of another station in hand: the station's own is set first. */
  function takeUp(name: StationName, wanted: Tool) {
    station.value = name
    void nextTick(() => (tool.value = wanted))
  }
  function pickNeutral() {
    if (tool.value === 'neutral') tool.value = 'look'
    else takeUp('balance', 'neutral')
  }
  function pickHue() {
    panel.value = 'Hues'
    takeUp('balance', 'hue')
  }

  function light(name: LampName) {
    lamp.value = lamp.value === name ? null : name
  }

  /** Corners being placed, source pixels. What was cropped or straightened before belonged to another picture. */
  const corners = ref<Point[]>([])
  async function squareUp() {
    if (corners.value.length !== 4) return
    const others = ledger.steps.value.filter((view) => view.step.op === 'crop' || view.step.op === 'straighten')
    const first = ledger.steps.value.find((view) => view.station === 'frame' && view.step.op !== 'turn')?.step.id
    const step = stepFor('corners', {})
    const saved = await change('Square up', [
      ...others.map((view): Change => ({ kind: 'remove', id: view.step.id ?? '' })),
      { kind: 'put', step: { ...step, params: { corners: corners.value }, enabled: true }, before: others.some((view) => view.step.id === first) ? undefined : first },
    ])
    if (saved) tool.value = 'crop'
  }

  /** Tools that have a size take it from keys, wheel and pen. */
  const resizable = computed(() => station.value === 'clean' || tool.value === 'neutral' || tool.value === 'hue')
  function resizeTool(by: number) {
    if (station.value === 'clean') brush.value.size = clamp(brush.value.size * by, 2, 2000)
    else pickSize.value = Math.round(clamp(by > 1 ? Math.max(pickSize.value * by, pickSize.value + 1) : pickSize.value * by, 1, 400))
  }

  /** A hue band at a hue, or at the colour of a place, which the server measures. */
  async function addBand(at: number | Place) {
    const bands = (ledger.stepOf('hue_bands')?.params?.bands as unknown[] | undefined) ?? []
    const added = typeof at === 'number' ? { hue: at } : { mark: at }
    const saved = await putStep('Take up a hue', stepFor('hue_bands', { bands: [...bands, { ...added, width: 40, turn: 0, saturation: 0, lightness: 0 }] }))
    if (saved) band.value = bands.length
  }

  async function travel(way: 'undo' | 'redo') {
    draft.value = null
    await ledger[way]()
    if (!ledger.steps.value.some((s) => s.step.id === selected.value)) selected.value = null
    look()
  }

  async function remove(id: string) {
    if (selected.value === id) selected.value = null
    await change('Remove a step', [{ kind: 'remove', id }])
  }

  /** Everything is saved, and what is shown is a fine frame of it. */
  const settled = computed(() => {
    const now = head.value
    return !!now && (now.lamp ?? null) === (original.value ? now.lamp : lamp.value) && now.fine && !now.draft && ledger.saving.value === 0 && now.revision === ledger.ledger.value?.revision && now.view.whole === whole.value
  })

  watch([original, surround, lamp], () => look())
  watch(proof, () => {
    beside.value?.picture.close()
    beside.value = null
    if (fitted.value) fit()
    else look()
  })
  let lastMethod: Tool = 'dab'
  watch(tool, (now) => {
    if (station.value === 'clean' && (now === 'specks' || methodOf(now))) lastMethod = now
  })
  watch(station, (now) => {
    if (now === 'frame') proof.value = 'none'
    tool.value = now === 'frame' ? 'crop' : now === 'clean' ? lastMethod : 'look'
    if (now !== 'clean') selected.value = null
  })
  /** Where one was before Frame showed the whole picture; one comes back to it. */
  let before: { view: typeof view.value; fitted: boolean } | null = null
  watch(whole, (now) => {
    const back = before
    before = now ? { view: view.value, fitted: fitted.value } : null
    if (now || !back || back.fitted) return fit()
    fitted.value = false
    view.value = back.view
    look()
  })

  const round = useRound({ photo, page: ledger.page, revision: () => ledger.ledger.value?.revision, measureAgain: socket.measureAgain, sayError })

  return {
    round,
    ...ledger, ...socket, photo, station, tool, selected, draft, original, surround, brush, clean, ghost, takeUpRepair, pickSize, head, picture,
    ...seen, verdicts, neutrals, settled, whole, look, show, dragStep, change, putStep, stepFor, travel, useRecipe, remove, sayProblem,
    panel, band, countOf, takeUp, pickNeutral, pickHue, addBand, corners, squareUp, resizable, resizeTool, light, help, guide, lamp, proof, wipe, proposals, histogram, cursor, underCursor, beside, room, buyersSize, propose, takeProposals,
  }
}

export type Bench = ReturnType<typeof useBench>
const key: InjectionKey<Bench> = Symbol('bench')

const walkoverKey: InjectionKey<Walkover> = Symbol('walkover')

export function provideBench(bench: Bench, walkover: Walkover) {
  provide(key, bench)
  provide(walkoverKey, walkover)
}

export function theWalkover(): Walkover {
  const walkover = inject(walkoverKey)
  if (!walkover) throw new Error('no bench is open')
  return walkover
}

export function theBench(): Bench {
  const bench = inject(key)
  if (!bench) throw new Error('no bench is open')
  return bench
}
