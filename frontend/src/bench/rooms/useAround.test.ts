import { beforeEach, describe, expect, it, vi } from 'vitest'
import { nextTick, ref } from 'vue'

import type { SphereSpec } from '../picture/sphere'
import type { FrameHead } from '../types'
import { FIELD, useAround } from './useAround'

const WHOLE: SphereSpec = [8192, 4096, 0, 0]
let look = vi.fn<(fine?: boolean) => void>()

async function open(turn: number[] | null = null, sphere: SphereSpec | null = WHOLE) {
  const of = ref<SphereSpec | null>(null)
  const flat = ref(false)
  const head = ref({ turn } as unknown as FrameHead)
  const made = useAround({ head, sphere: of, stage: ref({ width: 1000, height: 500 }), room: ref(1000), flat, look })
  of.value = sphere
  await nextTick()
  return { made, flat }
}
const near = (found: number[], wanted: number[]) => found.forEach((value, k) => expect(value).toBeCloseTo(wanted[k] ?? NaN, 4))

beforeEach(() => {
  look = vi.fn<(fine?: boolean) => void>()
})

describe('looking around', () => {
  it('begins when the photo turns out to be a panorama, and not for others', async () => {
    expect((await open()).made.on).toBe(true)
    expect((await open(null, null)).made.on).toBe(false)
  })

  it('gives way to the flat picture where that is worked on, or asked for', async () => {
    const { made, flat } = await open()
    flat.value = true
    expect([made.on, made.spec]).toEqual([false, null])
    flat.value = false
    made.toggle()
    expect(made.on).toBe(false)
  })

  it('has the middle of the stage where it looks, and finds places again', async () => {
    const { made } = await open()
    near(made.sourceAt(500, 250), [4096, 2048])
    made.set({ heading: 90, pitch: 30 })
    near(made.sourceAt(500, 250), [6144, 2048 - 4096 / 6])
    near(made.stageOfSource(made.sourceAt(120, 77)), [120, 77])
    expect(Number.isNaN(made.stageOfSource([2048, 2048])[0])).toBe(true)
  })

  it('turns against the hand, never over a pole, and always within its field', async () => {
    const { made } = await open()
    made.drag(-100, 0)
    expect(made.eye.heading).toBeGreaterThan(0)
    made.drag(0, 1e4)
    expect(made.eye.pitch).toBe(90)
    made.closer(1000)
    expect(made.eye.field).toBe(FIELD.low)
    made.closer(1e-3)
    expect(made.eye.field).toBe(FIELD.high)
    expect(look).toHaveBeenCalled()
  })

  it('shows the photo’s own pixels one to one when asked to, about its middle', async () => {
    const { made } = await open()
    made.exactly(1)
    expect(made.scale).toBeCloseTo(1, 2)
    expect(made.spec?.size).toEqual([1000, 500])
  })

  it('is named for steps in the photo’s own sphere, at its own resolution, however the sphere is turned', async () => {
    const { made } = await open([0, 0, 1, 0, 1, 0, -1, 0, 0])
    made.set({ heading: 10, pitch: -20 })
    expect(made.spec).toMatchObject({ heading: 100, pitch: -20, roll: 0, field: 90, sphere: WHOLE })
    expect(made.spec?.size[0]).toBeCloseTo(8192 / Math.PI, -1)
    made.face([4096, 2048])
    expect(made.eye.heading).toBeCloseTo(-90, 1)
  })

  it('lies on the flat picture in pieces that do not cross the seam', async () => {
    const { made } = await open()
    expect(made.footprint).toHaveLength(1)
    made.set({ heading: 180 })
    expect(made.footprint.length).toBeGreaterThan(1)
    for (const line of made.footprint) {
      line.forEach(([x], k) => expect(Math.abs(x - (line[k - 1]?.[0] ?? x))).toBeLessThan(4096))
    }
  })
})
