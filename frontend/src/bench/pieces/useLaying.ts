import { computed, ref, shallowRef, watch } from 'vue'

import { api, Problem, taken, type Schemas, type Step } from '../../api/client'
import { newId } from '../../common/ids'
import { useIntake } from '../../common/useIntake'
import type { Point } from '../picture/geometry'
import { viewAround, waysOf, type ViewSpec } from '../picture/sphere'
import { rounded } from './placing'
import type { Edge, Onto } from './snapping'
import { finely, type Around, type PieceInHand } from './usePieceInHand'

export type Picture = { picture: string; title: string; size: [number, number]; photo?: string }

/** What is laid, and the view that it is laid in; null for the flat picture. */
interface Laid { op?: string; chart?: ViewSpec | null }

/** How a piece comes onto the photo: another photo, a file, a sky, a thing of this one, a text; into a frame; back from being lent. */
export function useLaying({ decks, ledger, tools, view, sayError }: Around, { trying, piece, seenIn }: PieceInHand) {
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
    const place = { at, scale: Number(scale.toPrecision(5)), horizon: Number(horizon.toFixed(3)) }
    const params = { picture, title: `sky · ${title}`, within: finely({ kind: 'sky' }), lends: 20, ...place }
    if (!goesAround.value) return lay('Another sky', params, { chart: null })
    // what of it is wider than a panorama lies at the back once more, over its other end, and comes in little by little
    const wider = place.scale * size[0] - width
    const seam = { kind: 'straight', start: [width - 0.1 * wider, at[1]], end: [width - 0.9 * wider, at[1]] }
    const part = { enabled: true, invert: false, feather: 0 }
    const end = { parts: [{ ...part, mode: 'add', shape: { kind: 'sky' } }, { ...part, mode: 'intersect', shape: seam }] }
    const step = (more: object): Step => ({ id: newId(), op: 'piece', enabled: true, strength: 1, params: { ...params, ...more } })
    const left = (width - wider) / 2
    const both = [step({ at: [left, at[1]] }), step({ at: [left + width, at[1]], title: `${params.title}, at the back`, within: end, lends: 0 })]
    if (await ledger.change('Another sky', both.map((one) => ({ kind: 'put', step: one })))) tools.selected = both[0]?.id ?? null
  }
  /** Whether its left end meets its right one. */
  const goesAround = computed(() => ledger.page?.sphere?.[0] === photo.value.size[0])
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
  return { photo, others, skies, onto, waiting, coming, lay, layPhoto, laySky, cut, write, into, layInto, layFile, takeBack }
}

export type Laying = ReturnType<typeof useLaying>
