import { computed, nextTick, reactive, ref, shallowRef, watch } from 'vue'

import { clamp } from '../../parts/scale'
import type { Affine } from '../clean/tips'
import type { Point } from '../picture/geometry'
import type { Guide } from '../picture/overlays/guides'
import type { Picked, StationName, Tool } from '../types'
import type { DecksRoom } from './useDecks'
import type { Change, LedgerRoom } from './useLedger'

/** Parts of the shown picture, drawn elsewhere: within each path the stage as `map` lays it there. */
export interface Ghost {
  parts: { path: string; map: Affine }[]
  alpha: number
}

/** What each station has in hand when it is opened; Clean takes up its last method again. */
const FIRST: Record<StationName, Tool> = { frame: 'crop', balance: 'look', clean: 'dab', areas: 'look', pieces: 'look', finish: 'look', check: 'look' }

/** Tools that work on nothing but the step that is taken up. */
const ON_IT: Tool[] = ['lead', 'through', 'trim', 'mirror']

/** Stations in which a step is taken up. */
const HANDS: StationName[] = ['clean', 'areas', 'pieces']

/** The open station, the tool in hand, the step taken up, and what the hand carries. */
export function useTools(decks: DecksRoom, ledger: LedgerRoom) {
  const station = ref<StationName>('balance')
  const tool = ref<Tool>('look')
  const selected = ref<string | null>(null)
  /** Which group of a deck's controls is shown, by station. */
  const groups = ref<Partial<Record<StationName, string>>>({})
  /** Which hue band is taken up. */
  const band = ref(0)
  /** Side of the square that is picked for its colour, source pixels. */
  const pickSize = ref(0)
  /** A place that is asked for in the picture, and who takes it. */
  const place = shallowRef<{ item: string; take: (at: Picked) => void } | null>(null)
  const guide = ref<Guide>('thirds')
  const ghost = shallowRef<Ghost | null>(null)
  /** Corners being placed, source pixels. */
  const corners = ref<Point[]>([])

  const operation = computed(() => decks.of(tool.value))
  const gesture = computed(() => (station.value === 'clean' ? (operation.value?.gesture ?? null) : null))
  /** In Frame the whole straightened picture is shown, with all that the crop leaves out. */
  const whole = computed(() => station.value === 'frame')

  let lastMethod: Tool = FIRST.clean
  watch(tool, (now) => {
    if (decks.of(now)?.station === 'clean') lastMethod = now
  })
  watch(station, (now) => {
    tool.value = now === 'clean' ? lastMethod : FIRST[now]
    place.value = null
    if (!HANDS.includes(now)) selected.value = null
  })
  // a step that is no longer there cannot be taken up
  watch(
    () => ledger.steps,
    () => {
      if (selected.value && !ledger.byId(selected.value) && ledger.saving === 0) selected.value = null
    },
  )
  watch(selected, (now) => {
    if (!now && ON_IT.includes(tool.value)) tool.value = FIRST[station.value]
  })
  watch(
    () => decks.all,
    (all) => (pickSize.value ||= all?.picked.rest ?? 0),
    { immediate: true },
  )

  /** Take a tool of another station in hand: the station's own is set first. */
  function takeUp(name: StationName, wanted: Tool) {
    station.value = name
    void nextTick(() => (tool.value = wanted))
  }
  /** Take the tool, or lay it down where it is in hand already. */
  function toggle(wanted: Tool) {
    tool.value = tool.value === wanted ? FIRST[station.value] : wanted
  }
  function pickNeutral() {
    if (tool.value === 'neutral') tool.value = 'look'
    else takeUp('balance', 'neutral')
  }
  function pickHue() {
    groups.value.balance = decks.of('hue_bands')?.group
    takeUp('balance', 'hue')
  }
  /** Put down whatever is in hand or taken up. */
  function putDown() {
    place.value = null
    // a tool is put down first, and what it works on with the next
    if (!['areas', 'pieces'].includes(station.value) || tool.value === 'look') selected.value = null
    if (station.value !== 'clean') tool.value = FIRST[station.value]
    ledger.letGo()
  }

  /** Take a repair up to change it, with its method in hand. */
  function takeUpRepair(id: string) {
    const step = ledger.byId(id)
    if (!step) return
    tool.value = step.op
    void nextTick(() => (selected.value = id))
  }

  /** Open the deck in which a step is set, and take it up. */
  function open(id: string) {
    const step = ledger.byId(id)
    const about = step && decks.of(step.op)
    if (!about) return
    station.value = about.station === 'source' ? 'balance' : (about.station as StationName)
    if (about.group) groups.value[station.value] = about.group
    // the station's own tool is set first; then the step is taken up
    void nextTick(() => {
      selected.value = id
      if (about.station === 'clean') takeUpRepair(id)
    })
  }

  const picking = computed(() => tool.value === 'neutral' || tool.value === 'hue' || tool.value === 'colours' || place.value !== null)
  function resizePick(by: number) {
    const ruler = decks.all?.picked
    if (!ruler) return
    const wanted = by > 1 ? Math.max(pickSize.value * by, pickSize.value + 1) : pickSize.value * by
    pickSize.value = Math.round(clamp(wanted, ruler.low, ruler.high))
  }

  /** A hue band at a hue, or at the colour of a place, which the server measures. */
  async function addBand(at: number | Picked, into: Pick<LedgerRoom, 'stepOf' | 'stepFor' | 'putStep'> = ledger) {
    const bands = (into.stepOf('hue_bands')?.params?.bands as unknown[] | undefined) ?? []
    const rulers = decks.of('hue_bands')?.controls.flatMap((one) => (one.kind === 'bands' ? one.rulers : [])) ?? []
    const resting = Object.fromEntries(rulers.map((ruler) => [ruler.param, ruler.rest]))
    const added = typeof at === 'number' ? { hue: at } : { mark: at }
    const saved = await into.putStep('Take up a hue', into.stepFor('hue_bands', { bands: [...bands, { ...resting, ...added }] }))
    if (saved) band.value = bands.length
  }

  /** Square up by the corners. What was cropped or straightened before belonged to another picture. */
  async function squareUp() {
    if (corners.value.length !== 4) return
    const ofFrame = ledger.steps.filter((view) => view.station === 'frame')
    const others = ofFrame.filter((view) => view.step.op === 'crop' || view.step.op === 'straighten')
    const first = ofFrame.find((view) => view.step.op !== 'turn')?.step.id
    // what was told of other corners is told anew; what a person said of the ratio stays
    const anew = ledger.stepOf('corners')?.params?.told_by ? { ratio: null, told_by: null, off: null } : {}
    const step = ledger.stepFor('corners', { corners: corners.value, ...anew })
    const saved = await ledger.change('Square up', [
      ...others.map((view): Change => ({ kind: 'remove', id: view.step.id ?? '' })),
      { kind: 'put', step: { ...step, enabled: true }, before: others.some((view) => view.step.id === first) ? undefined : first },
    ])
    if (saved) tool.value = 'crop'
  }

  return reactive({
    station, tool, selected, groups, band, pickSize, place, guide, ghost, corners, operation, gesture, whole, picking,
    takeUp, toggle, pickNeutral, pickHue, putDown, takeUpRepair, open, resizePick, addBand, squareUp,
  })
}

export type ToolsRoom = ReturnType<typeof useTools>
