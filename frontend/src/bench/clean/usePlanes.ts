import { computed, nextTick, reactive, ref, watch, type Ref } from 'vue'

import { api, taken, type Schemas, type Step } from '../../api/client'
import { newId } from '../../common/ids'
import type { PlaneMap, Point } from '../picture/geometry'
import type { ViewSpec } from '../picture/sphere'
import type { LedgerRoom } from '../rooms/useLedger'
import type { ToolsRoom } from '../rooms/useTools'
import type { ViewRoom } from '../rooms/useView'
import { round } from './shapes'
import { sceneOf, type Scene } from './tips'

/** The tool that names a plane of the scene. */
export const PLANE = 'plane'

interface Around {
  /** What takes places in each plane, in true proportion, to those that its corners were set in; as the frame tells it. */
  shapes: Ref<Record<string, number[]> | undefined>
  ledger: LedgerRoom
  tools: ToolsRoom
  view: ViewRoom
  sayError: (error: unknown) => void
  sayProblem: (sentence: string, hint: string) => void
}

/** Planes of the scene: set by four corners, named, re-tuned; the one in hand is that in which the next repairs work. */
export function usePlanes({ shapes, ledger, tools, view, sayError, sayProblem }: Around) {
  /** The step that names the plane in hand; null for the view that is looked through, or the photo's own. */
  const inHand = ref<string | null>(null)
  /** What is being set: corners in what they were set in, and the step that is changed by it. */
  const corners = ref<Point[]>([])
  const within = ref<ViewSpec | null>(null)
  const changing = ref<string | null>(null)
  const searching = ref(false)
  /** What waits for the plane that is being set, where that is not the next repair. */
  let wanted: ((id: string) => Promise<void>) | null = null

  const all = computed(() => ledger.steps.filter(({ step }) => step.op === PLANE && step.enabled !== false))
  watch(all, (now) => {
    if (inHand.value && !now.some(({ step }) => step.id === inHand.value)) inHand.value = null
  })
  watch(
    () => tools.tool,
    (now) => {
      if (now === PLANE) return begin()
      corners.value = []
      wanted = null
    },
  )

  /** A plane as repairs lie in it; nothing for the photo's own, or for one that is gone. */
  function sceneIn(id: string | null | undefined): Scene | null {
    const shape = id ? shapes.value?.[id] : undefined
    return shape ? sceneOf(shape as unknown as PlaneMap, view.drawnIn(viewOf(id ?? null))) : null
  }
  function cornersOf(id: string | null): Point[] {
    return (ledger.byId(id)?.params?.corners as Point[] | undefined) ?? []
  }
  function viewOf(id: string | null): ViewSpec | null {
    return (ledger.byId(id)?.params?.view as ViewSpec | undefined) ?? null
  }
  /** Corners to drag: those of the plane that is taken up, else some inside of what is seen. */
  function begin() {
    const taken = all.value.find(({ step }) => step.id === tools.selected)?.step
    changing.value = taken?.id ?? null
    if (taken) {
      corners.value = cornersOf(taken.id ?? null)
      within.value = viewOf(taken.id ?? null)
      return
    }
    const { width, height } = view.stage
    const inset: Point[] = [[0.36, 0.5], [0.64, 0.5], [0.78, 0.8], [0.22, 0.8]]
    within.value = view.spec ?? null
    corners.value = inset.map(([x, y]) => tidy(view.handAt(x * width, y * height)))
  }
  function tidy([x, y]: Point): Point {
    return [round(x), round(y)]
  }
  function drag(k: number, at: Point) {
    const { ofSource } = view.drawnIn(within.value)
    const moved = ofSource(view.sourceAt(...at))
    if (moved.every(Number.isFinite)) corners.value = corners.value.map((corner, index) => (index === k ? tidy(moved) : corner))
  }
  async function save(name = '') {
    if (corners.value.length !== 4) return
    const called = name || `Plane ${all.value.length + 1}`
    const present = ledger.byId(changing.value) ?? { id: newId(), op: PLANE, params: { name: called }, enabled: true, strength: 1 }
    const params = { ...present.params, corners: corners.value, ...(within.value ? { view: within.value } : {}) }
    const saved = await ledger.putStep(changing.value ? 'Change a plane' : 'Set a plane', { ...present, params } as Step)
    if (!saved) return
    inHand.value = present.id ?? null
    changing.value = null
    if (wanted) await wanted(present.id ?? '')
    else tools.tool = 'regrow'
  }
  /** A plane is set in Clean for something that then goes on with it. */
  async function setFor(then: (id: string) => Promise<void>) {
    tools.station = 'clean'
    await nextTick()
    tools.tool = PLANE
    wanted = then
  }
  /** A plane that the lines of the picture tell of, where the view looks. */
  async function propose() {
    searching.value = true
    try {
      const [x, y] = view.sourceAt(view.room / 2, view.stage.height * 0.6)
      const query = { x: round(x), y: round(y) }
      const found = taken(await api.GET('/api/photos/{photo}/around/plane', { params: { path: { photo: ledger.photo }, query } })) as Schemas['PlaneView']
      if (!found.corners) return sayProblem('No two families of lines meet here.', 'Set the four corners by hand.')
      within.value = found.view ?? null
      corners.value = found.corners.map(tidy)
    } catch (error) {
      sayError(error)
    } finally {
      searching.value = false
    }
  }
  return reactive({ inHand, corners, view: within, changing, searching, all, sceneIn, cornersOf, viewOf, begin, drag, save, setFor, propose })
}

export type PlanesRoom = ReturnType<typeof usePlanes>
