import { beforeEach, describe, expect, it, vi } from 'vitest'
import { ref } from 'vue'

import type { Point } from '../picture/geometry'
import type { FrameHead } from '../types'
import { useView } from './useView'

/** Result pixels of a crop that begins at (100, 50) of the source, at half size. */
const HEAD = { size: [2000, 1000], turned: [4000, 3000], angle: 0, to_source: [2, 0, 100, 0, 2, 50, 0, 0, 1], level_to_source: [1, 0, 0, 0, 1, 0, 0, 0, 1] }
let look = vi.fn<(fine?: boolean) => void>()
const whole = ref(false)
const side = ref(1)

function seen(head: unknown = HEAD) {
  const made = useView({ head: ref(head as FrameHead | null), whole, side, photoSize: ref<Point>([4000, 3000]), sphere: ref(null), look })
  made.resize(1028, 528)
  return made
}
const near = (found: Point, wanted: Point) => found.forEach((value, axis) => expect(value).toBeCloseTo(wanted[axis] ?? NaN, 6))

beforeEach(() => {
  look = vi.fn<(fine?: boolean) => void>()
  whole.value = false
  side.value = 1
})

describe('the view', () => {
  it('fits the result into the stage with a margin, in the middle', () => {
    const { at, stageOfView } = seen()
    expect(at.scale).toBeCloseTo(0.5)
    near(stageOfView([1000, 500]), [514, 264])
  })

  it('comes no closer to a tiny picture than to any, though it leaves room', () => {
    const { at, stageOfView } = seen({ ...HEAD, size: [16, 20] })
    expect(at.scale).toBe(16)
    near(stageOfView([8, 10]), [514, 264])
  })

  it('fits the photo before the first frame came', () => {
    const { at, stageOfView } = seen(null)
    expect(at.scale).toBeCloseTo(500 / 3000)
    near(stageOfView([2000, 1500]), [514, 264])
  })

  it('asks once for what it shows: not for the same stage again, nor for a frame that is seen whole already', () => {
    const made = seen()
    made.resize(1028, 528)
    made.grown()
    expect(look).toHaveBeenCalledTimes(1)
  })

  it('keeps all of a picture in view that came in another size, unless one came closer', () => {
    const head = ref({ ...HEAD } as unknown as FrameHead)
    const made = useView({ head, whole, side, photoSize: ref<Point>([4000, 3000]), sphere: ref(null), look })
    made.resize(1028, 528)
    head.value = { ...head.value, size: [500, 1000] }
    made.grown()
    near(made.stageOfView([250, 500]), [514, 264])
    expect(look).toHaveBeenCalledTimes(2)
    made.zoom(1)
    made.grown()
    expect(made.at.scale).toBe(1)
  })

  it('fits into half the stage when two stand side by side', () => {
    side.value = 2
    expect(seen().at.scale).toBeCloseTo((513 - 28) / 2000)
  })

  it('keeps the point under the cursor while it zooms, whatever the scale', () => {
    const made = seen()
    for (const scale of [1, 4, 0.3]) {
      const before = made.viewAt(300, 120)
      made.zoom(scale, 300, 120)
      near(made.viewAt(300, 120), before)
      expect(made.at.scale).toBe(scale)
    }
  })

  it('zooms no further than 16 and not below half of what fits', () => {
    const made = seen()
    made.zoom(99)
    expect(made.at.scale).toBe(16)
    made.zoom(0.0001)
    expect(made.at.scale).toBeCloseTo(0.25)
  })

  it('moves by stage pixels', () => {
    const made = seen()
    made.zoom(2)
    const [x, y] = made.viewAt(0, 0)
    made.pan(30, -10)
    near(made.viewAt(0, 0), [x - 15, y + 5])
  })

  it('stays fitted when the stage changes, and stays where it was once it was moved', () => {
    const made = seen()
    made.resize(528, 528)
    expect(made.at.scale).toBeCloseTo(0.25)
    made.showFrom(40, 60)
    made.resize(1028, 528)
    expect(made.at).toEqual({ scale: 1, left: 40, top: 60 })
    expect(made.fitted).toBe(false)
  })

  it('asks for a fine frame when it rests and for a quick one while it moves', () => {
    const made = seen()
    look.mockClear()
    made.pan(1, 1)
    made.zoom(1)
    made.fit()
    expect(look.mock.calls.map(([fine]) => fine)).toEqual([false, false, undefined])
  })

  it('goes from stage to source and back', () => {
    const made = seen()
    made.showFrom(10, 20)
    near(made.sourceAt(5, 5), [2 * 15 + 100, 2 * 25 + 50])
    near(made.stageOfSource(made.sourceAt(321, 123)), [321, 123])
    expect(made.sourceScale).toBeCloseTo(0.5)
  })

  it('measures the whole straightened picture in Frame', () => {
    whole.value = true
    const made = seen()
    expect(made.content).toMatchObject({ width: 4000, height: 3000 })
    near(made.sourceOfView([7, 9]), [7, 9])
  })

  it('brings a place into view at 100 %, and the buyer’s size', () => {
    const made = seen()
    made.show([1000, 500, 20, 10])
    near(made.viewAt(514, 264), [1010, 505])
    expect(made.at.scale).toBe(1)
    made.buyersSize(1000)
    expect(made.at.scale).toBe(0.5)
    made.buyersSize(9000)
    expect(made.at.scale).toBe(1)
    made.centreSource([300, 250])
    near(made.stageOfSource([300, 250]), [514, 264])
  })
})
