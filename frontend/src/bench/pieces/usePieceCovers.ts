import { computed } from 'vue'

import { api, taken, type Schemas } from '../../api/client'
import type { AreasRoom } from '../areas/useAreas'
import type { ToolsRoom } from '../rooms/useTools'
import { apply, inverse, quadMap, type Point } from '../picture/geometry'
import { rounded } from './placing'
import { finely, type PieceInHand } from './usePieceInHand'

/** What of a piece is laid, what of the photo it is seen through, and its outline for others. */
export function usePieceCovers(
  { areas, tools }: { areas: AreasRoom; tools: ToolsRoom }, { trying, piece, current, path, lying, set }: PieceInHand,
) {
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
  /** One that says of a place whether it belongs to what was found in the photo, through which the piece is seen. */
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

  /** What of the photo a piece is seen through. */
  async function seenThrough(what: 'all' | 'sky' | 'cover' | 'found') {
    if (what === 'found') return
    const within = what === 'sky' ? finely({ kind: 'sky' }) : what === 'cover' ? areas.copied : null
    await set('Seen through', { within })
  }
  const seen = computed<'all' | 'sky' | 'found' | 'cover'>(() => {
    const within = current.value?.params?.within as Schemas['Cover'] | null | undefined
    if (!within) return 'all'
    const kind = within.parts?.length === 1 ? within.parts[0]?.shape.kind : null
    return kind === 'sky' ? 'sky' : kind === 'subject' ? 'found' : 'cover'
  })

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
  return { trim, lead, leadThrough, laidOf, layOf, seenThrough, seen, copyOutline }
}
