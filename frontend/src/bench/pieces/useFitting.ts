import { computed, ref, type Ref } from 'vue'

import { api, Problem, taken, type Schemas } from '../../api/client'
import { newId } from '../../common/ids'
import type { Point } from '../picture/geometry'
import { rounded, withParams, type Four } from './placing'
import type { Laying } from './useLaying'
import { finely, type Around, type PieceInHand } from './usePieceInHand'

/** What makes a piece belong: matched and placed by what lies around it, mirrored in water, its old place grown shut. */
export function useFitting(
  { areas, sayError }: Around, { trying, piece, path, lying, seenIn, put }: PieceInHand, { lay, photo }: Laying,
) {
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

  /** It once more, mirrored about its horizon or its lower edge, in water or glass that a loose outline goes around. */
  async function reflect(around: Point[]) {
    const step = piece.value
    const [first, second, right, left] = lying.value?.corners ?? []
    if (!step || !first || !second || !right || !left) return
    const within = finely({ kind: 'subject', around: around.map(rounded) })
    const rows = (await areas.outlinesOf({ parts: within.parts } as Schemas['Cover'])).flat().map(([, y]) => y)
    if (!rows.length) return
    const { at, horizon, scale = 1, ...rest } = step.params as { at: Point; horizon?: number; scale?: number }
    // it is mirrored about what lies at its place: its horizon, or its middle
    let place = { at: [at[0], left[1] + right[1] - at[1]], scale, horizon }
    if (horizon != null) {
      // a horizon comes to where the water begins, and what is mirrored is large enough to reach to its end: it has no edge in it
      const [begins, ends] = [Math.min(...rows), Math.max(...rows)]
      const high = at[1] - Math.min(first[1], second[1])
      place = { at: [at[0], begins], horizon, scale: Number((scale * Math.max(1, (1.02 * (ends - begins)) / high)).toPrecision(5)) }
    }
    const title = `${String(step.params?.title ?? 'piece').slice(0, 70)} in water`
    await lay('Mirror it', { ...rest, ...place, title, mirror: 'down', within, opacity: 0.45, lends: 0 }, { chart: null })
  }
  const mirrored = computed(() => Boolean(piece.value?.op === 'piece' && piece.value.params?.at && lying.value && !seenIn.value))
  return { matching, match, placing, placeByLikeness, growShut, ownCut, reflect, mirrored }
}
