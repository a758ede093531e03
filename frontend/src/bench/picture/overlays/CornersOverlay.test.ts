import { flushPromises, mount } from '@vue/test-utils'
import { afterEach, describe, expect, it, vi } from 'vitest'

import { answering, around, within } from '../../../testing'
import { hands, step } from '../../testing/hands'
import { bench } from '../../testing/theBench'
import type { Point } from '../geometry'
import CornersOverlay from './CornersOverlay.vue'

const { sayError } = vi.hoisted(() => ({ sayError: vi.fn() }))
vi.mock('../../../common/useSaying', () => ({ useSaying: () => ({ sayError, say: vi.fn() }) }))
vi.mock('../../useBench', () => import('../../testing/theBench'))

const OWN: Point[] = [[10, 10], [90, 10], [90, 60], [10, 60]]

function open(corners: unknown, view: object | null = null) {
  const asked = answering({ 'GET /api/photos/p/corners': { corners, soft: 1, view } })
  const { made } = within(() => hands([step('corners', { params: { corners: OWN } })]))
  Object.assign(made.ledger, { photo: 'p' })
  Object.assign(made.view, { stage: { width: 800, height: 500 }, content: { left: 0, top: 0, width: 800, height: 500 } })
  Object.assign(bench, made)
  return { made, asked, shown: mount(CornersOverlay, { global: around }) }
}
async function click(shown: ReturnType<typeof open>['shown'], from: Point, to = from) {
  const ground = shown.get('.ground').element
  const events: [string, Point][] = [['pointerdown', from], ['pointerup', to]]
  for (const [name, [clientX, clientY]] of events) ground.dispatchEvent(new MouseEvent(name, { clientX, clientY }))
  await flushPromises()
}

afterEach(() => {
  vi.unstubAllGlobals()
  sayError.mockClear()
})

describe('four corners to square up by', () => {
  it('are those of what one clicks in, where four sides are found', async () => {
    const { made, asked, shown } = open([[20.04, 31], [200, 30], [201, 140.26], [19, 139]])
    expect(made.tools.corners).toEqual(OWN)
    await click(shown, [120, 80])
    expect(made.tools.corners).toEqual([[20, 31], [200, 30], [201, 140.3], [19, 139]])
    expect(asked).toHaveLength(1)
  })
  it('stay where nothing is found, or where the picture was dragged', async () => {
    const { made, asked, shown } = open(null)
    await click(shown, [120, 80])
    expect(sayError).toHaveBeenCalledWith(expect.objectContaining({ message: 'Nothing of four sides was found there.' }))
    await click(shown, [120, 80], [160, 90])
    expect(asked).toHaveLength(1)
    expect(made.tools.corners).toEqual(OWN)
  })
})
