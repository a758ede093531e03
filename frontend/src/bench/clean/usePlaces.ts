import { computed, onScopeDispose, reactive, ref, shallowRef, watch } from 'vue'

import { api, taken, type Schemas, type Step } from '../../api/client'
import { newId } from '../../common/ids'
import type { Point } from '../picture/geometry'
import type { LedgerRoom } from '../rooms/useLedger'
import type { ToolsRoom } from '../rooms/useTools'
import type { ViewRoom } from '../rooms/useView'
import { round } from './shapes'

export interface Decided { x: number; y: number; size?: number; wide?: number; turn?: number; hidden?: boolean | null; looked?: boolean }

/** How the mirror under review hangs: the line in it on which camera and stand would show, and what it should show. */
export interface Glass { line: Point[]; told: boolean; sees: string }

/** Degrees across the view that a place is looked at in. */
const CLOSE = 40

/** Lists of places about each of which a person decides: how that is said, and by which field of a place. */
const KINDS: Record<string, { field: 'hidden' | 'looked'; yes: string; no: string; one: string }> = {
  faces: { field: 'hidden', yes: 'Hide', no: 'Let be', one: 'face' },
  mirrors: { field: 'looked', yes: 'Nothing shows', no: 'Look again', one: 'mirror' },
}

interface Around {
  ledger: LedgerRoom
  tools: ToolsRoom
  view: ViewRoom
  /** Diameter of the tip, source pixels: that of a place that is added. */
  tip: () => number
  sayError: (error: unknown) => void
}

/** Faces and mirrors: found or added, gone through one by one, each decided about. */
export function usePlaces({ ledger, tools, view, tip, sayError }: Around) {
  const at = ref(0)
  /** What is being looked for, and how that is stopped. */
  const searching = ref<'faces' | 'plates' | null>(null)
  let search = new AbortController()
  const kind = computed(() => KINDS[tools.tool])
  const step = computed<Step | null>(() => (kind.value ? (ledger.stepOf(tools.tool) ?? null) : null))
  const places = computed<Decided[]>(() => (step.value?.params?.places as Decided[] | undefined) ?? [])
  const now = computed(() => places.value[at.value])
  const open = computed(() => places.value.filter((one) => !isDecided(one)).length)

  watch(() => tools.tool, () => (at.value = 0))

  const glass = shallowRef<Glass | null>(null)
  let asked = 0
  watch(
    () => (kind.value?.field === 'looked' && view.around.sphere && now.value ? `${now.value.x} ${now.value.y}` : ''),
    async (place) => {
      const mine = ++asked
      glass.value = null
      const [x, y] = place.split(' ').map(Number)
      if (x === undefined || y === undefined) return
      const path = { photo: ledger.photo }
      try {
        const found = taken(await api.GET('/api/photos/{photo}/around/mirror', { params: { path, query: { x, y } } })) as Schemas['MirrorView']
        if (mine !== asked) return
        const query = new URLSearchParams(Object.entries({ x, y, heading: found.heading, pitch: found.pitch }).map(([name, value]) => [name, `${value}`]))
        glass.value = { line: found.line, told: found.told, sees: `/api/photos/${ledger.photo}/around/mirrored?${query}` }
      } catch (error) {
        if (mine === asked) sayError(error)
      }
    },
    { immediate: true },
  )

  function isDecided(place: Decided): boolean {
    return kind.value?.field === 'looked' ? Boolean(place.looked) : place.hidden != null
  }
  async function put(summary: string, list: Decided[]) {
    const present = step.value ?? { id: newId(), op: tools.tool, params: {}, enabled: true, strength: 1 }
    const sphere = kind.value?.field === 'hidden' && view.around.sphere ? { sphere: view.around.sphere } : {}
    return ledger.putStep(summary, { ...present, params: { ...present.params, ...sphere, places: list } })
  }
  function visit(index: number) {
    const count = places.value.length
    if (!count) return
    at.value = (index + count) % count
    const place = places.value[at.value]
    if (!place) return
    view.centreSource([place.x, place.y])
    if (view.around.on) view.around.set({ field: Math.min(view.around.eye.field, CLOSE) }, true)
  }
  async function decide(yes: boolean) {
    const field = kind.value?.field
    if (!field || !now.value) return
    const list = places.value.map((one, k) => (k === at.value ? { ...one, [field]: yes } : one))
    await put(yes ? `${kind.value?.yes} a ${kind.value?.one}` : `${kind.value?.no}`, list)
    const next = list.findIndex((one, k) => k > at.value && !isDecided(one))
    if (next >= 0) visit(next)
  }
  async function all() {
    const field = kind.value?.field
    if (field) await put(`${kind.value?.yes}, all that are open`, places.value.map((one) => (isDecided(one) ? one : { ...one, [field]: true })))
  }
  async function add([x, y]: Point) {
    const field = kind.value?.field
    if (!field) return
    const place: Decided = field === 'hidden' ? { x: round(x), y: round(y), size: round(tip()), hidden: true } : { x: round(x), y: round(y), looked: false }
    await put(`Add a ${kind.value?.one}`, [...places.value, place])
    at.value = places.value.length - 1
  }
  /** Give the place under review another size or shape. */
  async function reshape(shape: Pick<Decided, 'size' | 'wide' | 'turn'>) {
    await put('Shape of a place', places.value.map((one, k) => (k === at.value ? { ...one, ...shape } : one)))
  }
  async function remove() {
    const list = places.value.filter((_, k) => k !== at.value)
    if (list.length || !step.value) await put(`Remove a ${kind.value?.one}`, list)
    else await ledger.remove(step.value.id ?? '')
    at.value = Math.max(0, Math.min(at.value, list.length - 1))
  }
  /** Faces or plates that the program sees and the list does not have yet. */
  async function find(what: 'faces' | 'plates' = 'faces') {
    searching.value = what
    search = new AbortController()
    const { signal } = search
    try {
      const where = `/api/photos/{photo}/around/${what}` as const
      const found = taken(await api.GET(where, { params: { path: { photo: ledger.photo } }, signal })) as Schemas['FacesView']
      if (signal.aborted) return
      const known = (one: Decided) => places.value.some((other) => Math.hypot(other.x - one.x, other.y - one.y) < (other.size ?? 0))
      const fresh = found.places.filter((one) => !known(one))
      await put(`Look for ${what}`, [...places.value, ...fresh])
      visit(Math.max(0, places.value.findIndex((one) => !isDecided(one))))
    } catch (error) {
      if (!signal.aborted) sayError(error)
    } finally {
      searching.value = null
    }
  }
  const stop = () => search.abort()
  onScopeDispose(stop)
  return reactive({ at, searching, glass, kind, step, places, now, open, isDecided, visit, decide, all, add, reshape, remove, find, stop })
}

export type PlacesRoom = ReturnType<typeof usePlaces>
