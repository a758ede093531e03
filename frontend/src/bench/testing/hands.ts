import { reactive, ref } from 'vue'
import { vi } from 'vitest'

import type { Schemas, Step } from '../../api/client'
import { operation, ruler } from '../../testing'
import { useClean } from '../clean/useClean'
import { usePainting } from '../clean/usePainting'
import { usePlaces } from '../clean/usePlaces'
import { usePlanes } from '../clean/usePlanes'
import { waysOf, type ViewSpec } from '../picture/sphere'
import { useDecks } from '../rooms/useDecks'
import type { LedgerRoom } from '../rooms/useLedger'
import { useProof } from '../rooms/useProof'
import { useTools } from '../rooms/useTools'
import type { ViewRoom } from '../rooms/useView'

const itself = <T>(point: T): T => point
const share = (param: string, more = {}) => ruler(param, { low: 0, high: 100, times: 100, unit: '%', ...more })

/** A few operations of each kind, as the server declares them. */
export const DECKS: Schemas['Decks'] = {
  groups: ['Tone', 'Hues', 'Scan'],
  operations: {
    crop: operation(
      'Crop', 'frame',
      {
        tunable: false,
        controls: [{ kind: 'choice', param: 'ratio', name: 'ratio', options: ['free', '3:2'], rest: 'free', begins: null },
        ruler('width', { low: 16, high: 200_000 })],
      },
    ),
    straighten: operation('Straighten', 'frame', { tunable: false, controls: [ruler('angle')] }),
    corners: operation('Square up', 'frame', { tunable: false, alone: false }),
    area: operation('Area', 'areas', { tunable: true }),
    piece: operation('Piece', 'pieces', {
      controls: [
        ruler('scale', { times: 100, low: 2, high: 800, rest: 100, scale: 'logarithmic' }),
        ruler('exposure', { low: -5, high: 5 }), ruler('melt', { high: 100 }),
        { kind: 'shade', param: 'shade', name: 'shade', rulers: [ruler('contact', { high: 100 })], most: 0, items: [], places: [], begins: {}, rest: null },
      ],
    }),
    text: operation('Text', 'pieces', { controls: [ruler('size', { low: 8, high: 2000, rest: 120 })] }),
    shade: operation('Shade', 'areas', { controls: [ruler('soft_density', { name: 'soft' })] }),
    exposure: operation('Exposure', 'balance', { group: 'Tone', rank: 20, begun: { ev: 0 }, controls: [ruler('ev', { name: 'exposure' })] }),
    contrast: operation('Contrast', 'balance', { group: 'Tone', rank: 60, begun: { amount: 0 }, controls: [ruler('amount', { name: 'contrast' })] }),
    hue_bands: operation('Hue bands', 'balance', {
      group: 'Hues', rank: 74, controls: [{
        kind: 'bands', param: 'bands', name: 'bands', rulers: [ruler('turn'), ruler('width', { rest: 40, low: 5 })], most: 12, items: [],
        places: [], begins: {}, rest: null,
      }],
    }),
    overlay_self: operation('Overlay self', 'balance', {
      group: 'Scan', rank: 66, begun: { opacity: 0 },
      controls: [
        { kind: 'choice', param: 'mode', name: 'overlay self by', options: ['multiply', 'plus'], rest: 'multiply', begins: { opacity: 60 } },
        ruler('opacity'),
      ],
    }),
    soften: operation('Soften grain', 'balance', { group: 'Scan', rank: 90, controls: [{ kind: 'presence', param: '', name: 'soften grain' }] }),
    fringes: operation('Colour fringes', 'source', { group: 'Tone', rank: 30, controls: [ruler('red')] }),
    dab: operation('Dab', 'clean', { gesture: 'click', masked: true, rank: 10, params: ['source'], how: 'Click a small blemish.' }),
    heal: operation('Heal', 'clean', { gesture: 'stroke', masked: true, rank: 20, params: ['source'], interchangeable: true, advised: true, yields: true }),
    clone: operation(
      'Clone', 'clean',
      {
        gesture: 'stroke', masked: true, rank: 30, params: ['source', 'turn', 'mirror'], interchangeable: true, tip: ['flow', 'angle'],
        controls: [ruler('turn')],
      },
    ),
    patch: operation('Patch', 'clean', { gesture: 'outline', masked: true, rank: 40, params: ['source'], interchangeable: true }),
    regrow: operation(
      'Regrow', 'clean',
      {
        gesture: 'stroke', masked: true, rank: 50, params: ['take', 'reach'], interchangeable: true, takes: 100,
        controls: [ruler('reach', { times: 100, low: 20, high: 400, rest: 75 })],
      },
    ),
    unthread: operation('Unthread', 'clean', { gesture: 'line', masked: true, rank: 70, params: ['grain'] }),
    relocate: operation(
      'Relocate', 'clean',
      { gesture: 'outline', masked: true, rank: 80, params: ['dx', 'dy'], controls: [{ kind: 'switch', param: 'match', name: 'match light', rest: true }] },
    ),
    nudge: operation('Nudge', 'clean', { gesture: 'stroke', masked: true, rank: 90 }),
    specks: operation('Specks', 'clean', { gesture: 'list', rank: 130 }),
    guide: operation('Guide', 'clean', { gesture: 'line', rank: 135, params: ['points'], limits: true, tunable: false }),
    fence: operation('Fence', 'clean', { gesture: 'line', rank: 140, params: ['points', 'snap'], limits: true, tunable: false }),
  },
  tip: [
    ruler('size', { low: 2, high: 2000, rest: 60, unit: 'px', scale: 'logarithmic' }),
    share('hardness', { name: 'softness', times: -100, plus: 100, rest: 30 }), share('flow', { low: 1, rest: 100 }), share('roundness', { low: 10, rest: 100 }),
    ruler('angle', { low: -90, high: 90 }), share('spacing', { high: 200, rest: 15 }),
  ],
  feather: ruler('feather', { low: 0, high: 400, rest: 4 }), strength: share(
    'strength', { low: 5, rest: 100 },
  ), share: share('strength', { name: 'take of all △' }),
  picked: ruler('size', { low: 1, high: 400, rest: 24 }), specks: [
    ruler('contrast', { low: 4, high: 60, rest: 12 }), ruler('largest', { low: 4, high: 120, rest: 40 }),
  ],
  covers: {
    part: [ruler('feather', { name: 'softened', high: 1000, unit: 'px' })], fine: [ruler('band', { name: 'fine edge within', low: 4, high: 400, rest: 31 })],
    tones: [ruler('low', { high: 100 }), ruler('high', { high: 100, rest: 100 }), ruler('soft', { high: 100, rest: 10 })],
  },
  takes: 4,
  hatching: ruler('density', { name: 'hatching', high: 100, times: 100, rest: 60 }),
  skies: [{ name: 'sky:fair-day', title: 'fair day', size: [4096, 2048] }],
  starts: [{ name: 'lift', says: 'Lighten.', tool: 'brush', flow: 0.1, op: 'area',
    steps: [{ id: 'a', op: 'exposure', params: { ev: 0.8 }, enabled: true, strength: 1 }] }],
}

export const step = (op: string, more: Partial<Step> = {}): Step => ({ id: op, op, params: {}, enabled: true, strength: 1, ...more })

/** The rooms of a bench with a ledger that keeps what is put, and a view of one stage pixel for each source pixel. */
export function hands(steps: Step[] = []) {
  const decks = useDecks()
  const ledger = reactive({
    photo: 'p', page: null as unknown, revision: 1, saving: 0, draft: null as Step | null, proposals: {}, proposed: [], steps: [] as Schemas['StepView'][],
    stepOf: (op: string) => ledger.steps.find((view) => view.step.op === op)?.step ?? null,
    byId: (id: string | null | undefined) => ledger.steps.find((view) => view.step.id === id)?.step ?? null,
    before: () => null,
    stepFor: (op: string, params: Record<string, unknown>): Step => {
      const present = ledger.stepOf(op)
      return present ? { ...present, params: { ...present.params, ...params } } : {
        ...step(op), id: `new ${op}`, params: { ...decks.of(op)?.begun, ...params },
      }
    },
    countOf: (fits: (view: Schemas['StepView']) => boolean) => ledger.steps.filter(fits).length,
    putStep: vi.fn(async (_: string, put: Step) => {
      ledger.steps = [...ledger.steps.filter((view) => view.step.id !== put.id), viewOf(put)]
      return {}
    }),
    remove: vi.fn(async (id: string) => void (ledger.steps = ledger.steps.filter((view) => view.step.id !== id))),
    change: vi.fn(async () => ({})),
    drag: vi.fn((put: Step) => (ledger.draft = put)),
    letGo: vi.fn(() => (ledger.draft = null)),
    travel: vi.fn(),
    takeProposals: vi.fn(),
  })
  function viewOf(one: Step): Schemas['StepView'] {
    return { step: one, title: decks.of(one.op)?.title ?? one.op, station: decks.of(one.op)?.station ?? 'balance' }
  }
  decks.all = DECKS
  ledger.steps = steps.map(viewOf)
  const view = reactive({
    sourceScale: 1, cursor: null, centreSource: vi.fn(), around: { on: false, sphere: null, set: vi.fn(), face: vi.fn() }, spec: undefined,
    sourceAt: (x: number, y: number) => [x, y], handAt: (x: number, y: number) => [x, y],
    drawnIn: (of?: ViewSpec | null) => ({ toStage: itself, ...(of ? waysOf(of) : { toSource: itself, ofSource: itself }) }), scaleIn: () => 1,
    ...Object.fromEntries(
      ['stageOfSource', 'stageOfHand', 'sourceOfHand', 'handOfSource', 'sourceLine'].map((name) => [name, itself]),
    ),
  }) as unknown as ViewRoom
  const room = ledger as unknown as LedgerRoom
  const tools = useTools(decks, room)
  const shapes = ref<Record<string, number[]>>({})
  const planes = usePlanes({ shapes, ledger: room, tools, view, sayError: vi.fn(), sayProblem: vi.fn() })
  const clean = useClean({ ledger: room, tools, decks, view, planes })
  const places = usePlaces({ ledger: room, tools, view, tip: () => 40, sayError: vi.fn() })
  const painting = usePainting({ decks, tools, view, clean })
  const frames = reactive({ busy: {}, verdicts: [] as unknown[], histogram: [], underCursor: null, head: null as unknown })
  return { decks, ledger, view, tools, shapes, planes, places, clean, painting, frames, proof: useProof() }
}

/** What was put last, and under which words. */
export function lastPut(ledger: { putStep: ReturnType<typeof vi.fn> }): { says: string; put: Step } {
  const [says, put] = ledger.putStep.mock.calls.at(-1) as [string, Step]
  return { says, put }
}
