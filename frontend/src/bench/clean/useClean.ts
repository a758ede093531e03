import { computed, ref, shallowRef, watch, type ComputedRef, type Ref } from 'vue'

import { api, taken, type Schemas, type Step } from '../../api/client'
import type { Point } from '../geometry'
import { newId } from '../useLedger'
import type { Tool } from '../useBench'
import { methodOf } from './methods'

type Stroke = Schemas['Stroke']
export type Outlines = 'always' | 'hover' | 'active' | 'never'
export const OUTLINES: Outlines[] = ['always', 'hover', 'active', 'never']
export interface Spot { x: number; y: number; size: number; contrast: number; accepted: boolean | null }

interface Around {
  photo: string
  tool: Ref<Tool>
  selected: Ref<string | null>
  steps: ComputedRef<Schemas['StepView'][]>
  putStep: (summary: string, step: Step, before?: string) => Promise<unknown>
  centre: (source: Point) => void
}

/** What Clean holds in hand: the tip, the clone source, places that are gathered, the hint, the specks under review. */
export function useClean({ photo, tool, selected, steps, putStep, centre }: Around) {
  const brush = ref({ size: 60, softness: 0.3, strength: 1, flow: 1, spacing: 0.15, roundness: 1, angle: 0, feather: 4 })
  const outlines = ref<Outlines>('hover')
  /** Where a clone takes from: set by hand, then either keeping its offset from stroke to stroke or starting over. */
  const cloning = ref<{ source: Point | null; offset: Point | null; follow: boolean; turn: number; mirror: 'none' | 'across' | 'down' }>({
    source: null, offset: null, follow: true, turn: 0, mirror: 'none',
  })
  /** Strokes of a place in several parts, until it is run. */
  const gathered = ref<Stroke[]>([])
  const gathering = ref(false)
  const hint = ref<{ step: string; method: string; why: string } | null>(null)
  /** Repairs that are still being made, and how far each is. */
  const busy = ref<Record<string, number>>({})
  const lastEnd = shallowRef<Point | null>(null)

  const repair = computed(() => steps.value.find((view) => view.step.id === selected.value && view.station === 'clean')?.step ?? null)
  const path = { photo }

  function stroke(points: [number, number, number][]): Stroke {
    const { size, softness, flow, spacing, roundness, angle } = brush.value
    const own = methodOf(tool.value)?.rulers ?? []
    return {
      points, size: round(size), hardness: round(1 - softness), opacity: 1,
      flow: own.includes('flow') ? flow : 1, spacing: own.includes('spacing') ? spacing : 0.15,
      roundness: own.includes('roundness') ? roundness : 1, angle: own.includes('angle') ? angle : 0,
    }
  }

  /** From where a clone's stroke begins to its source; nothing before one was chosen. */
  function cloneOffset(start: Point): Point | null {
    const { source, offset, follow } = cloning.value
    if (follow && offset) return offset
    return source && [source[0] - start[0], source[1] - start[1]]
  }

  /** What a method starts with at a place. */
  function paramsFor(op: string, start: Point): Record<string, unknown> {
    if (op !== 'clone') return {}
    const { turn, mirror } = cloning.value
    const offset = cloneOffset(start)
    if (!offset) return { turn, mirror }
    cloning.value.offset = offset
    return { turn, mirror, source: { dx: Math.round(offset[0]), dy: Math.round(offset[1]) } }
  }

  async function put(op: string, mask: Step['mask'], params: Record<string, unknown>) {
    const step: Step = { id: newId(), op, params, mask, enabled: true, strength: op === 'fence' || op === 'avoid' ? 1 : brush.value.strength }
    hint.value = null
    const saved = await putStep(title(op), step)
    if (!saved) return
    // a dab is looked at; anything else is taken up, so that it can be changed at once
    if (op !== 'dab') selected.value = step.id ?? null
    if (['heal', 'clone', 'regrow', 'calm'].includes(op)) void askHint(step)
  }

  async function run() {
    const strokes = gathered.value
    if (!strokes.length) return
    gathered.value = []
    await put(tool.value, { kind: 'strokes', strokes }, paramsFor(tool.value, [strokes[0]?.points[0]?.[0] ?? 0, strokes[0]?.points[0]?.[1] ?? 0]))
  }

  async function askHint(step: Step) {
    try {
      const found = taken(await api.GET('/api/photos/{photo}/steps/{step}/method', { params: { path: { ...path, step: step.id ?? '' } } }))
      if (found.method && found.method !== step.op && selected.value === step.id) hint.value = { step: step.id ?? '', method: found.method, why: found.why ?? '' }
    } catch {
      hint.value = null
    }
  }
  async function takeHint() {
    const now = hint.value
    const step = steps.value.find((view) => view.step.id === now?.step)?.step
    hint.value = null
    if (now && step) await switchTo(step, now.method)
  }

  /** The same place by another method; a source that both know stays. */
  async function switchTo(step: Step, op: string) {
    const keeps = ['heal', 'clone', 'patch'].includes(op) && step.params?.source ? { source: step.params.source } : {}
    await putStep(`${title(op)} instead of ${step.op}`, { ...step, op, params: keeps })
    selected.value = step.id ?? null
    hint.value = null
  }

  // ------------------------------------------------------------------------------------------------ specks

  const spots = ref<Spot[] | null>(null)
  const at = ref(0)
  const limits = ref({ contrast: 12, largest: 40 })
  const searching = ref(false)
  async function findSpecks() {
    searching.value = true
    try {
      const query = { contrast: limits.value.contrast, largest: limits.value.largest }
      const found = taken(await api.GET('/api/photos/{photo}/specks', { params: { path, query } }))
      spots.value = found.map((one) => ({ ...one, accepted: null }))
      at.value = 0
      visit()
    } catch {
      spots.value = null
    } finally {
      searching.value = false
    }
  }
  function visit() {
    const now = spots.value?.[at.value]
    if (now) centre([now.x, now.y])
  }
  function judge(accepted: boolean) {
    const now = spots.value?.[at.value]
    if (!now) return
    now.accepted = accepted
    turn(1)
  }
  function turn(by: number) {
    const count = spots.value?.length ?? 0
    if (!count) return
    at.value = (at.value + by + count) % count
    visit()
  }
  /** What was not refused is accepted, as one step. */
  async function takeSpecks(rest: boolean) {
    const judged = (spots.value ?? []).map(({ x, y, size, accepted }) => ({ x: round(x), y: round(y), size: round(size), accepted: accepted ?? rest }))
    spots.value = null
    if (judged.some((one) => one.accepted)) await putStep('Specks', { id: newId(), op: 'specks', params: { spots: judged }, enabled: true, strength: 1 })
  }

  watch(tool, () => {
    gathered.value = []
    hint.value = null
    if (tool.value !== 'specks') spots.value = null
  })

  return {
    brush, outlines, cloning, gathered, gathering, hint, busy, lastEnd, repair, stroke, cloneOffset, paramsFor, put, run, takeHint, switchTo,
    specks: { spots, at, limits, searching, find: findSpecks, judge, turn, take: takeSpecks },
  }
}

export function title(op: string): string {
  const name = op === 'redeye' ? 'red eye' : op
  return (name[0]?.toUpperCase() ?? '') + name.slice(1)
}
export function round(value: number): number {
  return Math.round(value * 10) / 10
}
