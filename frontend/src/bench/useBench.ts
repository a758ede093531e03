import { computed, inject, provide, ref, shallowRef, watch, type InjectionKey } from 'vue'

import type { Step, Verdict } from '../api/client'
import { useSaying } from '../useSaying'
import { apply, inverse, magnification, turnedBox, type Affine, type Point, type Rect } from './geometry'
import { newId, useLedger, type Change } from './useLedger'
import { useSocket, type FrameHead, type NeutralMark } from './useSocket'

export type StationName = 'frame' | 'balance' | 'clean' | 'check'
export type Tool = 'crop' | 'line' | 'look' | 'neutral' | 'dab' | 'heal'

const MARGIN = 14

/** Everything about one open photo: its ledger, the view, the frames, the tool in hand. */
export function useBench(photo: string) {
  const { sayError, sayProblem } = useSaying()
  const ledger = useLedger(photo, sayError)

  const station = ref<StationName>('balance')
  const tool = ref<Tool>('look')
  const selected = ref<string | null>(null)
  const draft = shallowRef<Step | null>(null)
  const original = ref(false)
  const surround = ref(0x77)
  const brush = ref({ size: 60, softness: 0.3, strength: 1 })
  const pickSize = ref(24)

  const head = shallowRef<FrameHead | null>(null)
  const picture = shallowRef<ImageBitmap | null>(null)
  const verdicts = ref<Verdict[]>([])
  const neutrals = ref<NeutralMark[]>([])

  const stage = ref({ width: 0, height: 0 })
  const view = ref({ left: 0, top: 0, scale: 0.1 })
  const fitted = ref(true)
  const whole = computed(() => station.value === 'frame')

  const socket = useSocket(photo, {
    frame(next, bitmap) {
      const grew = !head.value || String(head.value.size) !== String(next.size) || head.value.angle !== next.angle || String(head.value.turned) !== String(next.turned)
      head.value = next
      picture.value?.close()
      picture.value = bitmap
      if (grew && fitted.value) fit()
    },
    slip(lines, marks) {
      verdicts.value = lines
      neutrals.value = marks
    },
    problem: sayProblem,
  })

  /** What the view's coordinates measure: the result, or the whole straightened picture in Frame. */
  const content = computed<Rect>(() => {
    const now = head.value
    if (!now) return { left: 0, top: 0, width: ledger.page.value?.photo.width ?? 1, height: ledger.page.value?.photo.height ?? 1 }
    if (whole.value) return turnedBox(now.turned, now.angle)
    return { left: 0, top: 0, width: now.size[0], height: now.size[1] }
  })
  const fitScale = computed(() =>
    Math.min((stage.value.width - 2 * MARGIN) / content.value.width, (stage.value.height - 2 * MARGIN) / content.value.height),
  )

  // ------------------------------------------------------------------------------------------- looking

  let resting: ReturnType<typeof setTimeout> | undefined
  function look(fine = true) {
    clearTimeout(resting)
    const revision = ledger.ledger.value?.revision
    if (revision === undefined || stage.value.width < 2) return
    const ratio = Math.min(devicePixelRatio || 1, 2)
    socket.look({
      revision,
      view: {
        left: view.value.left,
        top: view.value.top,
        scale: view.value.scale * ratio,
        width: Math.round(stage.value.width * ratio),
        height: Math.round(stage.value.height * ratio),
        whole: whole.value,
      },
      draft: draft.value ?? undefined,
      original: original.value,
      fine,
      surround: surround.value,
    })
    if (!fine) resting = setTimeout(look, 160)
  }

  function fit() {
    fitted.value = true
    const scale = fitScale.value
    view.value = {
      scale,
      left: content.value.left + content.value.width / 2 - stage.value.width / 2 / scale,
      top: content.value.top + content.value.height / 2 - stage.value.height / 2 / scale,
    }
    look()
  }

  /** Show at a scale, holding the point under (x, y) of the stage. */
  function zoom(scale: number, x = stage.value.width / 2, y = stage.value.height / 2) {
    const to = Math.min(Math.max(scale, Math.min(fitScale.value, 1) * 0.5), 16)
    const from = view.value
    fitted.value = false
    view.value = { scale: to, left: from.left + x / from.scale - x / to, top: from.top + y / from.scale - y / to }
    look(false)
  }

  function pan(dx: number, dy: number) {
    fitted.value = false
    view.value = { ...view.value, left: view.value.left - dx / view.value.scale, top: view.value.top - dy / view.value.scale }
    look(false)
  }

  /** Bring a box of result pixels into view at 100 %. */
  function show(where: [number, number, number, number]) {
    station.value = station.value === 'frame' ? 'check' : station.value
    fitted.value = false
    view.value = {
      scale: 1,
      left: where[0] + where[2] / 2 - stage.value.width / 2,
      top: where[1] + where[3] / 2 - stage.value.height / 2,
    }
    look()
  }

  function resize(width: number, height: number) {
    stage.value = { width, height }
    if (fitted.value) fit()
    else look()
  }

  // -------------------------------------------------------------------------------------- coordinates

  const toSource = computed<Affine>(() => {
    const now = head.value
    if (!now) return [1, 0, 0, 0, 1, 0]
    return whole.value ? now.level_to_source : now.to_source
  })
  const fromSource = computed(() => inverse(toSource.value))
  /** Stage pixels for one source pixel. */
  const sourceScale = computed(() => view.value.scale * magnification(fromSource.value))

  function viewAt(x: number, y: number): Point {
    return [view.value.left + x / view.value.scale, view.value.top + y / view.value.scale]
  }
  function sourceAt(x: number, y: number): Point {
    return apply(toSource.value, viewAt(x, y))
  }
  function stageOfView([x, y]: Point): Point {
    return [(x - view.value.left) * view.value.scale, (y - view.value.top) * view.value.scale]
  }
  function stageOfSource(point: Point): Point {
    return stageOfView(apply(fromSource.value, point))
  }

  // ------------------------------------------------------------------------------------------- changing

  function dragStep(step: Step) {
    draft.value = step
    look(false)
  }

  async function change(summary: string, changes: Change[]) {
    const saved = await ledger.change(summary, changes)
    draft.value = null
    look()
    return saved
  }

  function putStep(summary: string, step: Step, before?: string) {
    return change(summary, [{ kind: 'put', step, before }])
  }

  /** The one step of an op that a ruler works on, made when there is none yet. */
  function stepFor(op: string, params: Record<string, unknown>): Step {
    const present = ledger.stepOf(op)
    if (present) return { ...present, params: { ...present.params, ...params } }
    return { id: newId(), op, params, enabled: true, strength: 1 }
  }

  async function travel(way: 'undo' | 'redo') {
    draft.value = null
    await ledger[way]()
    if (!ledger.steps.value.some((s) => s.step.id === selected.value)) selected.value = null
    look()
  }

  async function remove(id: string) {
    if (selected.value === id) selected.value = null
    await change('Remove a step', [{ kind: 'remove', id }])
  }

  /** Everything is saved, and what is shown is a fine frame of it. */
  const settled = computed(() => {
    const now = head.value
    return !!now && now.fine && !now.draft && ledger.saving.value === 0 && now.revision === ledger.ledger.value?.revision && now.view.whole === whole.value
  })

  watch([original, surround], () => look())
  watch(station, (now) => {
    tool.value = now === 'frame' ? 'crop' : now === 'clean' ? (tool.value === 'heal' ? 'heal' : 'dab') : 'look'
    if (now !== 'clean') selected.value = null
  })
  /** Where one was before Frame showed the whole picture; one comes back to it. */
  let before: { view: typeof view.value; fitted: boolean } | null = null
  watch(whole, (now) => {
    const back = before
    before = now ? { view: view.value, fitted: fitted.value } : null
    if (now || !back || back.fitted) return fit()
    fitted.value = false
    view.value = back.view
    look()
  })

  return {
    ...ledger, ...socket, photo, station, tool, selected, draft, original, surround, brush, pickSize, head, picture,
    verdicts, neutrals, stage, settled, view, fitted, whole, content, fitScale, look, fit, zoom, pan, show, resize, viewAt,
    sourceAt, stageOfView, stageOfSource, sourceScale, dragStep, change, putStep, stepFor, travel, remove, sayProblem,
  }
}

export type Bench = ReturnType<typeof useBench>
const key: InjectionKey<Bench> = Symbol('bench')

export function provideBench(bench: Bench) {
  provide(key, bench)
}

export function theBench(): Bench {
  const bench = inject(key)
  if (!bench) throw new Error('no bench is open')
  return bench
}
