import { computed, nextTick } from 'vue'

import type { Step } from '../../api/client'
import { between, type Point } from '../picture/geometry'
import { finestFocal, focalOf, type SphereSpec, type ViewSpec } from '../picture/sphere'
import { middleOf, rounded } from './placing'
import type { Around, PieceInHand } from './usePieceInHand'

/** What a piece lies in: the photo, a plane of the scene, a view into a panorama; and the horizon that it has there. */
export function useLyingIn({ tools, planes: setPlanes, view }: Around, { piece, current, lying, seenIn, ways, put, set }: PieceInHand) {
  /** Whether it is told to have a horizon, which then lies where it lay: along its lower side, at first. */
  async function tellHorizon(on: boolean) {
    const [, , right, left] = lying.value?.corners ?? []
    const [step, middle] = [piece.value, lying.value && middleOf(lying.value.corners)]
    if (!step || !right || !left || !middle) return
    await set(on ? 'Tell its horizon' : 'No horizon', on ? { horizon: 1, at: between(left, right) } : { horizon: null, at: middle })
  }

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
  return { planes, planeOf, tellHorizon, lieIn, lieHere, setPlane }
}
