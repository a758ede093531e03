import { computed, reactive, ref, watch } from 'vue'

import { api, taken, type Schemas, type Step } from '../../api/client'
import { newId } from '../../common/ids'
import { tryingWith } from '../../common/trying'
import { middleOf, round } from '../clean/shapes'
import type { CleanRoom } from '../clean/useClean'
import type { Touch } from '../clean/usePainting'
import type { Point } from '../picture/geometry'
import type { ViewSpec } from '../picture/sphere'
import type { DecksRoom } from '../rooms/useDecks'
import type { LedgerRoom } from '../rooms/useLedger'
import type { ToolsRoom } from '../rooms/useTools'
import type { ViewRoom } from '../rooms/useView'
import type { Colour, Picked, Stroke } from '../types'
import { coverOf, heldBy, JOINS, partsOf, type Cover, type Join, type Part, type Shape } from './covers'

interface Around {
  decks: DecksRoom
  ledger: LedgerRoom
  tools: ToolsRoom
  clean: CleanRoom
  view: ViewRoom
  sayError: (error: unknown) => void
}

export type Way = NonNullable<Schemas['CoverShown']['way']>

/** The area that is taken up: its cover as a sentence of parts, what of it is in hand, and how it is shown. */
export function useAreas({ decks, ledger, tools, clean, view, sayError }: Around) {
  /** Which part of the sentence is taken up. */
  const inHand = ref<number | null>(null)
  /** How the next part joins those before it. */
  const join = ref<Join>('add')
  const way = ref<Way>('hatch')
  const density = ref(0.6)
  /** Begun, but with nowhere to count yet: it is put with its first part. */
  const begun = ref<Step | null>(null)
  /** Shown while a part is worked on, hidden for judging. */
  const shown = ref(true)

  const area = computed<Step | null>(() => {
    const step = ledger.byId(tools.selected)
    return step && decks.of(step.op)?.station === 'areas' ? step : null
  })
  /** As it is shown: with what is under the hand. */
  const current = computed(() => (area.value && ledger.draft?.id === area.value.id ? ledger.draft : area.value))
  const cover = computed(() => coverOf(area.value))
  const parts = computed(() => partsOf(current.value))
  const part = computed(() => (inHand.value === null ? null : (parts.value[inHand.value] ?? null)))
  watch(() => tools.selected, () => (inHand.value = null))

  /** What the server draws the cover of, and how; nothing where none is worked on. */
  const look = computed(() =>
    tools.station === 'areas' && area.value && shown.value && parts.value.length
      ? { step: area.value.id ?? '', way: way.value, density: density.value }
      : null,
  )

  async function put(summary: string, cover: Cover, steps = heldBy(area.value)) {
    const present = area.value ?? begun.value ?? { id: newId(), op: 'area', params: {}, enabled: true, strength: 1 }
    const step: Step = { ...present, params: { ...present.params, cover, ...(present.op === 'area' ? { steps: steps.length ? steps : heldBy(present) } : {}) } }
    begun.value = null
    tools.selected = step.id ?? null
    return ledger.putStep(summary, step)
  }
  function withParts(changed: Part[]): Cover {
    return { ...coverOf(area.value), parts: changed }
  }
  /** A new part at the end of the sentence, taken up; without an area in hand it begins one. */
  async function add(shape: Shape, more: Partial<Part> = {}) {
    const before = partsOf(area.value)
    const added: Part = { enabled: true, mode: before.length ? join.value : 'add', invert: false, feather: 0, shape, ...more }
    await put(before.length ? 'Add to a cover' : 'Begin an area', withParts([...before, added]))
    // what has handles or numbers of its own is taken up at once; else light is what comes next
    if (shape.kind === 'straight' || shape.kind === 'round') tools.tool = 'look'
    inHand.value = ['straight', 'round', 'tones', 'colours'].includes(shape.kind ?? '') ? before.length : null
  }
  function changed(index: number, to: Partial<Part>): Cover {
    return withParts(partsOf(area.value).map((one, k) => (k === index ? { ...one, ...to } : one)))
  }
  async function change(index: number, to: Partial<Part>, summary = 'Change a cover') {
    await put(summary, changed(index, to))
  }
  /** Under the hand: shown, not saved. */
  function drag(cover: Cover) {
    if (area.value) ledger.drag({ ...area.value, params: { ...area.value.params, cover } })
  }
  async function remove(index: number) {
    inHand.value = null
    await put('Take a part out', withParts(partsOf(area.value).filter((_, k) => k !== index)))
  }
  async function move(from: number, to: number) {
    const next = partsOf(area.value).slice()
    const [one] = next.splice(from, 1)
    if (!one || to < 0 || to > next.length) return
    next.splice(to, 0, one)
    await put('Move a part', withParts(next))
    inHand.value = to
  }
  async function turn(index: number) {
    const mode = partsOf(area.value)[index]?.mode ?? 'add'
    await change(index, { mode: JOINS[(JOINS.indexOf(mode) + 1) % JOINS.length] }, 'Join another way')
  }
  async function refine(band: number | null) {
    await put(band === null ? 'A crisp edge' : 'A fine edge', { ...coverOf(area.value), fine: band === null ? null : { band } })
  }
  /** Everything that was not covered. */
  async function invert() {
    const all = partsOf(area.value)
    if (all.length === 1) return change(0, { invert: !all[0]?.invert }, 'Invert')
    // of several: the whole without each, which is what de Morgan's laws make of the sentence
    const turned = all.map((one, k): Part => {
      const mode = one.mode ?? 'add'
      if (k === 0) return { ...one, mode: mode === 'add' ? 'subtract' : 'add', invert: mode === 'intersect' ? !one.invert : one.invert }
      return mode === 'add' ? { ...one, mode: 'subtract' } : { ...one, mode: 'add', invert: mode === 'intersect' ? !one.invert : one.invert }
    })
    await put('Invert', withParts(turned))
  }

  /** A cover that was copied: laid into the area in hand, or a new one is begun with it. */
  const copied = ref<Cover | null>(null)
  async function layIn() {
    if (copied.value) await put('Lay a cover in', copied.value)
  }
  /** Whether Clean's method in hand can go along a cover: as a fence, or on the place that it outlines. */
  const alongable = computed(() => {
    const about = decks.of(tools.tool)
    return Boolean(copied.value && about && (about.interchangeable || about.limits || about.gesture === 'outline'))
  })
  /** A cover as closed outlines, the longest first; none where that cannot be said. */
  async function outlinesOf(body: Cover): Promise<Point[][]> {
    const params = { path: { photo: ledger.photo } }
    const found = await trying(async () => taken(await api.POST('/api/photos/{photo}/cover/outlines', { params, body })) as Schemas['OutlinesView'])
    return found?.loops ?? []
  }
  /** The method in hand along the cover that was copied. */
  async function along() {
    const [first, ...others] = copied.value ? await outlinesOf(copied.value) : []
    if (!first) return
    if (decks.of(tools.tool)?.masked) {
      await clean.put(tools.tool, { kind: 'outline', points: first, others, feather: clean.brush.feather ?? 0 }, clean.paramsFor(tools.tool, middleOf(first)))
      return
    }
    const about = decks.of(tools.tool)
    const snap = about?.params.includes('snap') ? { snap: 0 } : {}
    const line = (loop: Point[]): Step => ({ id: newId(), op: tools.tool, params: { points: [...loop, loop[0]], ...snap }, enabled: true, strength: 1 })
    await ledger.change(`${about?.title} along a cover`, [first, ...others].map((loop) => ({ kind: 'put', step: line(loop) })))
  }

  // ------------------------------------------------------------------------------------------------ gestures

  const strokeOf = (points: [number, number, number][]): Stroke => ({
    ...clean.stroke(points), flow: clean.brush.flow ?? 1, roundness: 1, angle: 0,
  })
  /** A stroke of the hand as a stroke of what a part was drawn in; of the photo for those that follow its edges. */
  function strokeIn(points: Touch[], within: ViewSpec | null | undefined): Stroke | null {
    const { ofSource } = view.drawnIn(within)
    const moved = points.map(([x, y, pressure]): Touch => [...ofSource(view.sourceOfHand([x, y])), pressure])
    if (!moved.every(([x, y]) => Number.isFinite(x) && Number.isFinite(y))) return null
    const [x, y] = moved[0] ?? [0, 0]
    const larger = within ? view.sourceScale / view.scaleIn(within, [x, y]) : 1
    return { ...strokeOf(moved.map(([a, b, p]): Touch => [round(a), round(b), p])), size: round((clean.brush.size ?? 1) * larger) }
  }
  /** A stroke of the tool in hand: into the part that is taken up where it is of its kind, else as a new one. */
  async function paint(points: [number, number, number][], erase: boolean) {
    const all = partsOf(area.value)
    const index = inHand.value ?? all.length - 1
    const own = all[index]
    if (own && (own.shape.kind === 'subject' || own.shape.kind === 'sky') && tools.tool === 'lead') {
      const stroke = strokeIn(points, null)
      if (!stroke) return
      const led = [...(own.shape.led ?? []), { inside: !erase, stroke }]
      return change(index, { shape: { ...own.shape, led } }, erase ? 'Lead it out' : 'Lead it in')
    }
    const kind = tools.tool === 'edged' ? 'edged' : 'strokes'
    const mode: Join = erase ? 'subtract' : join.value
    if (own?.shape.kind === kind && (own.mode ?? 'add') === mode) {
      const more = strokeIn(points, own.shape.kind === 'strokes' ? own.shape.view : null)
      if (more) return change(index, { shape: { ...own.shape, strokes: [...own.shape.strokes, more] } as Shape }, 'Paint')
    }
    const stroke = kind === 'edged' ? strokeIn(points, null) : strokeOf(points)
    if (!stroke) return
    await add(kind === 'edged' ? { kind, strokes: [stroke], hold: 0.5 } : { kind, strokes: [stroke], view: view.spec }, all.length || erase ? { mode } : {})
  }
  async function close(points: Point[]) {
    await add({ kind: 'outline', points: points.map(([x, y]): [number, number] => [round(x), round(y)]), feather: 0, view: view.spec })
  }
  const trying = tryingWith(sayError)
  /** The photo's colour at a place, before any light; nothing where that cannot be said. */
  const colourAt = (query: Picked) =>
    trying(async () => {
      const found = taken(await api.GET('/api/photos/{photo}/colour', { params: { path: { photo: ledger.photo }, query } }))
      return (found as Schemas['ColourView']).colour as Colour
    })
  /** A colour of the photo, added to those that count. */
  async function pick([x, y]: Point) {
    const colour = await colourAt({ x: Math.round(x), y: Math.round(y), size: tools.pickSize })
    if (!colour) return
    const own = inHand.value === null ? undefined : partsOf(area.value)[inHand.value]
    if (inHand.value !== null && own?.shape.kind === 'colours') {
      const picks = [...own.shape.picks, colour]
      await change(inHand.value, { shape: { ...own.shape, picks } }, 'Pick another colour')
    } else await add({ kind: 'colours', picks: [colour], tolerance: 15, soft: 10 })
  }

  /** An area with what it is usually begun with. */
  async function start(begins: Schemas['AreaStart']) {
    tools.selected = null
    const steps = begins.steps.map((one): Step => ({ ...one, id: newId() }))
    const params = { cover: { parts: [] }, ...(begins.op === 'area' ? { steps } : {}) }
    const step: Step = { id: newId(), op: begins.op, params, enabled: true, strength: 1 }
    clean.setTip('flow', begins.flow)
    begun.value = step
    tools.tool = begins.tool
  }
  return reactive({
    area, current, cover, parts, part, taken: inHand, join, way, density, shown, look, add, change, changed, withParts, drag, remove, move, turn,
    refine, invert, paint, close, pick, colourAt, start, begun, copied, layIn, alongable, along, outlinesOf,
  })
}

export type AreasRoom = ReturnType<typeof useAreas>
