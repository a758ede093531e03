import { computed, nextTick, reactive, ref, shallowRef, watch, type Ref } from 'vue'

import { api, Problem, taken, type Schemas, type Step } from '../../api/client'
import { newId } from '../../common/ids'
import { tryingWith } from '../../common/trying'
import { useIntake } from '../../common/useIntake'
import type { AreasRoom } from '../areas/useAreas'
import type { PlanesRoom } from '../clean/usePlanes'
import { apply, between, inverse, quadMap, type Point } from '../picture/geometry'
import type { DecksRoom } from '../rooms/useDecks'
import type { LedgerRoom } from '../rooms/useLedger'
import type { ToolsRoom } from '../rooms/useTools'
import type { ViewRoom } from '../rooms/useView'
import { finestFocal, focalOf, viewAround, waysOf, type SphereSpec, type ViewSpec } from '../picture/sphere'
import { lyingNow, middleOf, rounded, withParams, type Four, type Lying } from './placing'
import type { Edge, Onto } from './snapping'

interface Around {
  decks: DecksRoom
  ledger: LedgerRoom
  tools: ToolsRoom
  areas: AreasRoom
  planes: PlanesRoom
  view: ViewRoom
  sayError: (error: unknown) => void
}
type Picture = { picture: string; title: string; size: [number, number]; photo?: string }

/** What is laid, and the view that it is laid in; null for the flat picture. */
interface Laid { op?: string; chart?: ViewSpec | null }

/** A band in which the edge is found, photo pixels: wide for hair; a sky is told by its colour from leaf to leaf already. */
const BANDS = { subject: 24, sky: 8 }
/** One shape with its fine edge. */
const finely = (shape: { kind: 'sky' } | { kind: 'subject'; around?: Point[] }) => ({ parts: [{ shape }], fine: { band: BANDS[shape.kind] } })

/** The piece that is taken up: where it lies, what is laid next, what would fit it. */
export function usePieces({ decks, ledger, tools, areas, planes: setPlanes, view, sayError }: Around) {
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

  const photo = computed<Picture>(() => {
    const own = ledger.page?.photo
    return { picture: '', title: own?.title ?? '', size: [own?.width ?? 1, own?.height ?? 1] }
  })
  /** The ticket's other photos. */
  const others = computed<Picture[]>(() =>
    (ledger.page?.siblings ?? []).filter((one) => one.id !== ledger.photo).map((one) => ({
      picture: one.blob ?? '', title: one.title, size: [one.width ?? 1, one.height ?? 1], photo: one.id,
    })),
  )
  const skies = computed<Picture[]>(() => (decks.all?.skies ?? []).map((one) => ({ picture: one.name, title: one.title, size: one.size as [number, number] })))

  /** On the flat picture, or in the view that is looked through where nothing else is said. */
  async function lay(summary: string, params: Record<string, unknown>, { op = 'piece', chart = view.spec }: Laid = {}) {
    const step: Step = { id: newId(), op, params, ...(chart ? { chart } : {}), enabled: true, strength: 1 }
    const saved = await ledger.putStep(summary, step)
    if (saved) tools.selected = step.id ?? null
    tools.tool = 'look'
    return saved
  }
  const put = (summary: string, step: Step) => ledger.putStep(summary, step)
  const set = (summary: string, params: Record<string, unknown>) => (piece.value ? put(summary, withParams(piece.value, params)) : undefined)

  const layPhoto = ({ picture, title }: Picture) => lay('Lay a photo in', { picture, title })
  /** The edges of a photo, and how far down its sky ends. */
  const edgesOf = (photo: string) => trying(async () =>
    taken(await api.GET('/api/photos/{photo}/edges', { params: { path: { photo } } })) as Schemas['EdgesView'],
  )
  const edges = shallowRef<Schemas['EdgesView'] | null>(null)
  /** What the piece is brought onto while it is moved: edges are those of the flat picture. */
  const onto = computed<Onto>(() => (seenIn.value ? { size: seenIn.value.size as [number, number], edges: [], horizon: null } : {
    size: photo.value.size, edges: (edges.value?.edges ?? []) as Edge[], horizon: edges.value?.horizon ?? null,
  }))
  watch(
    () => Boolean(piece.value) && tools.station === 'pieces',
    async (wanted) => {
      if (wanted && !edges.value) edges.value = (await edgesOf(ledger.photo)) ?? null
    },
    { immediate: true },
  )
  /** A made sky or a photo of one over the whole width, its horizon on the photo's, seen through the photo's own sky. */
  async function laySky({ picture, title, size, photo: its }: Picture) {
    const [width, height] = photo.value.size
    edges.value ??= (await edgesOf(ledger.photo)) ?? null
    const ends = its ? (await edgesOf(its))?.horizon : null
    const horizon = ends ? ends / size[1] : 1
    const at: Point = [width / 2, edges.value?.horizon ?? height / 2]
    // wide enough to be moved a little, high enough to reach the upper edge
    const scale = Math.max((1.12 * width) / size[0], (1.05 * at[1]) / (horizon * size[1]))
    const within = finely({ kind: 'sky' })
    const place = { scale: Number(scale.toPrecision(5)), at, horizon: Number(horizon.toFixed(3)) }
    await lay('Another sky', { picture, title: `sky · ${title}`, ...place, within, lends: 20 }, { chart: null })
  }
  /**
   * A thing of this photo that a loose outline goes around, cut with its fine edge; where it stands at first. In a panorama that
   * is looked around in, it is cut as it is seen there.
   */
  async function cut(places: Point[]) {
    const cutIn = view.spec ? viewAround(places, view.spec) : null
    if (view.spec && !cutIn) return sayError(new Problem(422, 'That reaches too far around.', 'Draw around less, or cut it on the flat picture.'))
    const around = cutIn ? places.map(waysOf(cutIn).ofSource).map(rounded) : places
    const [width, height] = cutIn?.size ?? photo.value.size
    const cover = finely({ kind: 'subject', around })
    const held = (value: number, most: number) => Math.round(Math.min(most, Math.max(0, value)))
    const [xs, ys] = [around.map(([x]) => held(x, width)), around.map(([, y]) => held(y, height))]
    const [left, top, right, bottom] = [Math.min(...xs), Math.min(...ys), Math.max(...xs), Math.max(...ys)]
    if (left >= right || top >= bottom) return
    const cutOut = { part: [left, top, right, bottom], cover, ...(cutIn ? { cut_in: cutIn } : {}) }
    const place = { at: [(left + right) / 2, (top + bottom) / 2], scale: 1 }
    await lay('Cut a piece', { picture: '', title: 'piece of this photo', ...cutOut, ...place }, { chart: cutIn })
  }
  /** Of the piece only the thing that a loose outline on the photo goes around, with its fine edge. */
  async function trim(around: Point[]) {
    if (!lying.value) return
    await set('Cut a thing out', { cover: finely({ kind: 'subject', around: inPiece(around) }) })
    tools.tool = 'look'
  }
  /** A stroke on the photo, so many of its pixels wide, that says of a place of the piece whether it belongs to its subject. */
  async function lead(points: Point[], width: number, inside: boolean) {
    const [first] = points
    if (!first) return
    const [a, b] = inPiece([first, [first[0] + 100, first[1]]]) as [Point, Point]
    await leadOf('cover', inPiece(points), (width * Math.hypot(b[0] - a[0], b[1] - a[1])) / 100, inside)
  }
  /** One that says of a place whether it belongs to the photo's sky, through which the piece is seen. */
  const leadThrough = (points: Point[], width: number, inside: boolean) => leadOf('within', points.map(rounded), width, inside)
  /** A stroke in or out of what was found for one of a piece's covers, in that cover's pixels. */
  async function leadOf(which: 'cover' | 'within', points: Point[], width: number, inside: boolean) {
    const cover = piece.value?.params?.[which] as Schemas['Cover'] | undefined
    const [part, ...others] = cover?.parts ?? []
    if ((part?.shape.kind !== 'subject' && part?.shape.kind !== 'sky') || !points.length) return
    const stroke = { points: points.map(([x, y]): [number, number, number] => [x, y, 1]), size: Math.max(1, Math.round(width)), hardness: 1 }
    const shape = { ...part.shape, led: [...(part.shape.led ?? []), { inside, stroke }] }
    await set(inside ? 'Stroke in' : 'Stroke out', { [which]: { ...cover, parts: [{ ...part, shape }, ...others] } })
  }
  /** Places of the photo in the pixels of the picture that the piece shows. */
  function inPiece(places: Point[]): Point[] {
    if (!lying.value) return []
    const { corners, size } = lying.value
    const [left, top] = (piece.value?.params?.part as number[] | undefined) ?? [0, 0]
    const back = inverse(quadMap(corners))
    return places.map((place): Point => {
      const [x, y] = apply(back, place)
      return [Math.round(x * size[0] + (left ?? 0)), Math.round(y * size[1] + (top ?? 0))]
    })
  }
  /** What is laid of the piece. */
  const laidOf = computed<'all' | 'subject' | 'outlined'>(() => {
    const cover = current.value?.params?.cover as Schemas['Cover'] | null | undefined
    if (!cover?.parts?.length) return 'all'
    const shape = cover.parts[0]?.shape
    return cover.parts.length === 1 && shape?.kind === 'subject' && !shape.around?.length ? 'subject' : 'outlined'
  })
  async function layOf(what: 'all' | 'subject') {
    await set(what === 'all' ? 'All of it' : 'Its subject', { cover: what === 'all' ? null : finely({ kind: 'subject' }) })
  }
  /** Whether it is told to have a horizon, which then lies where it lay: along its lower side, at first. */
  async function tellHorizon(on: boolean) {
    const [, , right, left] = lying.value?.corners ?? []
    const [step, middle] = [piece.value, lying.value && middleOf(lying.value.corners)]
    if (!step || !right || !left || !middle) return
    await set(on ? 'Tell its horizon' : 'No horizon', on ? { horizon: 1, at: between(left, right) } : { horizon: null, at: middle })
  }
  const write = () => lay('Write', { text: 'Text' }, { op: 'text' })

  /** A picture that waits to be laid into a screen, frame or sign, where one clicks. */
  const waiting = ref<Picture | null>(null)
  function into(picture: Picture) {
    waiting.value = picture
    tools.tool = 'into'
  }
  /** Four corners of what lies where one clicked; a level place about it where nothing of four sides was found. */
  async function layInto([x, y]: Point) {
    const picture = waiting.value
    if (!picture) return
    const found = await trying(async () =>
      taken(await api.GET('/api/photos/{photo}/corners', { params: { path: { photo: ledger.photo }, query: { x, y } } })) as Schemas['CornersView'],
    )
    if (!found) return
    waiting.value = null
    const params = { picture: picture.picture, title: picture.title, softened: Math.max(1, found.soft) }
    if (found.corners) return lay('Lay into a frame', { ...params, corners: found.corners }, { chart: found.view })
    const wide = view.spec?.size[0] ?? photo.value.size[0]
    return lay('Lay a photo in', { ...params, at: view.handOfSource([x, y]), scale: Number(((0.2 * wide) / picture.size[0]).toPrecision(4)) })
  }

  /** What of the photo a piece is seen through. */
  async function seenThrough(what: 'all' | 'sky' | 'cover') {
    const within = what === 'sky' ? finely({ kind: 'sky' }) : what === 'cover' ? areas.copied : null
    await set('Seen through', { within })
  }
  const seen = computed(() => {
    const within = current.value?.params?.within as Schemas['Cover'] | null | undefined
    if (!within) return 'all'
    return within.parts?.length === 1 && within.parts[0]?.shape.kind === 'sky' ? 'sky' : 'cover'
  })

  const coming = ref(false)
  const place = () => `/api/tickets/${encodeURIComponent(ledger.page?.ticket.number ?? '')}`
  /** A file of this machine, kept with the photo and laid in. */
  async function layFile(files: File[]) {
    coming.value = true
    const intake = useIntake(place(), async () => undefined, ledger.photo)
    await intake.bring(files)
    coming.value = false
    for (const { name, picture, says } of intake.files.value) {
      if (picture) await lay('Lay a file in', { picture, title: name.replace(/\.[^.]+$/, '').slice(0, 80) })
      else sayError(new Problem(422, says, ''))
    }
  }
  /** What was lent comes back: brought to the ticket, where it is known by its mark, and seen here when it is laid. */
  async function takeBack(files: File[]) {
    coming.value = true
    const before = ledger.revision
    const intake = useIntake(place(), async () => undefined)
    await intake.bring(files)
    const refused = intake.files.value.find((one) => one.state !== 'here' && one.state !== 'twice')
    if (refused) sayError(new Problem(422, refused.says, ''))
    for (let tries = 0; !refused && tries < 60 && ledger.revision === before; tries++) {
      await new Promise((after) => setTimeout(after, 500))
      await ledger.load()
    }
    coming.value = false
    if (!refused && ledger.revision === before) sayError(new Problem(422, 'Nothing was laid over.', 'What happened on the ticket says why.'))
  }

  /** Its outline as it lies, copied as a cover: for a shadow in Areas, a fence or a place to avoid in Clean. */
  async function copyOutline() {
    const step = piece.value
    const found = step && (await trying(async () =>
      taken(await api.GET('/api/photos/{photo}/steps/{step}/outline', { params: { path: path(step.id ?? '') } })) as Schemas['OutlineView'],
    ))
    const [points, ...rest] = found?.loops ?? []
    if (!points) return
    const shape = { kind: 'outline' as const, points, others: rest, feather: 0 }
    areas.copied = { parts: [{ enabled: true, mode: 'add', invert: false, feather: 0, shape }] }
  }
  /** A sky mirrored about its horizon, or its lower edge, in water or glass that a copied cover tells. */
  async function reflect() {
    const step = piece.value
    const [, , right, left] = lying.value?.corners ?? []
    if (!step || !right || !left || !areas.copied) return
    const { at, horizon, ...rest } = step.params as { at: Point; horizon?: number }
    const title = `${String(step.params?.title ?? 'piece')} in water`
    // it is mirrored about what lies at its place: its horizon, or its middle
    const place = horizon === undefined ? { at: [at[0], left[1] + right[1] - at[1]] } : { at, horizon }
    await lay('Mirror it', { ...rest, ...place, title, mirror: 'down', within: areas.copied, opacity: 0.45, lends: 0 }, { chart: null })
  }
  const mirrored = computed(() => Boolean(areas.copied && piece.value?.op === 'piece' && piece.value.params?.at && lying.value && !seenIn.value))

  /** Planes of the scene that it may lie in. */
  const planes = computed(() => setPlanes.all.map(({ step, title }) => ({ id: step.id ?? '', title })))
  const planeOf = computed(() => (current.value?.chart as { step?: string } | null | undefined)?.step ?? null)
  /** Laid into a plane of the scene, whose perspective it follows; none for the photo's own. */
  async function lieIn(id: string | null, step = piece.value) {
    if (!step) return
    // out of a plane that was set in a view it lies in that view
    const within = id ? setPlanes.viewOf(id) : seenIn.value
    const chart = id ? { kind: 'plane' as const, step: id } : within
    await put(id ? 'Lay into a plane' : 'Lay on the photo', { ...step, chart, params: { ...step.params, ...movedInto(within, step) } })
  }
  /** Its place told in the pixels of a view, or of the photo for none; where that does not show it, in the view's middle. */
  function movedInto(within: ViewSpec | null, step: Step): { at?: Point } {
    const at = step.params?.at as Point | undefined
    if (!at || JSON.stringify(within) === JSON.stringify(seenIn.value)) return {}
    const there = view.drawnIn(within).ofSource(ways.value.toSource(at))
    if (there.every(Number.isFinite)) return { at: rounded(there) }
    return within ? { at: [within.size[0] / 2, within.size[1] / 2] } : {}
  }
  /** Laid amid the view that is looked through, as large as it is seen where it lies. */
  async function lieHere() {
    const [step, here] = [piece.value, view.spec]
    if (!step || !here) return
    const times = focalOf(here) / (seenIn.value ? focalOf(seenIn.value) : finestFocal(here.sphere as SphereSpec))
    const larger = Object.entries(step.params ?? {}).filter(([name, value]) => ['scale', 'size', 'width'].includes(name) && typeof value === 'number')
    const grown = Object.fromEntries(larger.map(([name, value]) => [name, Number((times * (value as number)).toPrecision(5))]))
    await put('Bring it here', { ...step, chart: here, params: { ...step.params, ...grown, at: [here.size[0] / 2, here.size[1] / 2] } })
  }
  /** A plane is set in Clean, and the piece then laid into it. */
  async function setPlane() {
    const step = piece.value
    await setPlanes.setFor(async (id) => {
      tools.station = 'pieces'
      await nextTick()
      tools.selected = step?.id ?? null
      await lieIn(id, step)
    })
  }

  /** What is asked, and told to be under way meanwhile. */
  async function awaited<T>(under: Ref<boolean>, work: () => Promise<T>) {
    under.value = true
    const found = await trying(work)
    under.value = false
    return found
  }
  const matching = ref(false)
  /** A share of what would fit it to its surroundings. */
  async function match(share: number) {
    const step = piece.value
    if (!step) return
    const found = await awaited(matching, async () =>
      taken(await api.GET('/api/photos/{photo}/steps/{step}/match', { params: { path: path(step.id ?? '') } })) as Schemas['MatchView'],
    )
    if (!found) return
    const params = Object.fromEntries(Object.entries(found.params).map(([name, value]) => [name, Math.round(100 * share * value) / 100]))
    if (Object.keys(params).length) await put(`Match ${Math.round(100 * share)} %`, withParams(step, params))
  }

  const placing = ref(false)
  /**
   * Laid where the photo shows what it shows, as another shot of the same floor or wall: by features that both have, its rim
   * melted into what lies around and its light fitted to that.
   */
  async function placeByLikeness() {
    const step = piece.value
    if (!step) return
    const found = await awaited(placing, async () =>
      taken(await api.GET('/api/photos/{photo}/steps/{step}/likeness', { params: { path: path(step.id ?? '') } })) as Schemas['LikenessView'],
    )
    if (!found) return
    if (!found.corners) return sayError(new Problem(422, 'Too little of it is seen here too.', 'Look at its place, or lay it by four corners.'))
    const [a, , c] = found.corners as Four
    const rim = Math.max(4, Math.round(0.03 * Math.hypot(c[0] - a[0], c[1] - a[1])))
    await put('Place by likeness', withParams(step, { ...found.light, corners: found.corners, softened: rim, melt: 100 }))
  }

  /** The old place of what was cut grown shut, under the piece. */
  async function growShut() {
    const step = piece.value
    if (!step) return
    // wider than what was cut, so that nothing of its edge stays
    const params = { path: path(step.id ?? ''), query: { wider: Math.max(6, Math.round(photo.value.size[0] / 300)) } }
    const found = await trying(async () => taken(await api.GET('/api/photos/{photo}/steps/{step}/cut', { params })) as Schemas['CutView'])
    const [points, ...others] = found?.loops ?? []
    if (!found || !points) return
    const mask = { kind: 'outline' as const, points, others, feather: 0, view: found.view }
    await put('Grow the old place shut', { id: newId(), op: 'regrow', params: {}, mask, chart: found.view, enabled: true, strength: 1 })
  }
  const ownCut = computed(() => piece.value?.op === 'piece' && !piece.value.params?.picture && Boolean(piece.value.params?.cover))

  /** Half seen through while aligned (common practice), at a held key. */
  function half(on: boolean) {
    if (on && piece.value) ledger.drag({ ...piece.value, strength: (piece.value.strength ?? 1) / 2 })
    else if (!on && halved) ledger.letGo()
    halved = on
  }
  let halved = false
  return reactive({
    piece, current, lying, four, seenIn, ways, scale, onto, photo, others, skies, waiting, matching, seen, ownCut,
    layPhoto, laySky, cut, trim, lead, leadThrough, laidOf, layOf, tellHorizon,
    planes, planeOf, lieIn, lieHere, setPlane,
    write, into, layInto, put, set, seenThrough, match, placing, placeByLikeness, growShut, half, reflect, mirrored, copyOutline, takeBack, layFile, coming,
  })
}

export type PiecesRoom = ReturnType<typeof usePieces>
