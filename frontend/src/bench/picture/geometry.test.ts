import { describe, expect, it } from 'vitest'

import { apply, draggedCrop, inverse, largestOf, turnedBox, turnedRatio, turnedRect, type PlaneMap } from './geometry'
import { guideLines } from './overlays/guides'

const picture = { left: 0, top: 0, width: 4320, height: 2880 }

describe('turning a crop along', () => {
  const was = { left: 10, top: 20, width: 300, height: 200, ratio: '3:2' }
  it('four quarters, or a mirror twice, bring it back', () => {
    let now = was
    let size: [number, number] = [1000, 700]
    for (let k = 0; k < 4; k++) {
      now = turnedRect(now, size, 'right')
      size = [size[1], size[0]]
    }
    expect(now).toEqual(was)
    expect(turnedRect(turnedRect(was, size, 'flip'), size, 'flip')).toEqual(was)
    expect(turnedRect(turnedRect(was, size, 'mirror'), size, 'mirror')).toEqual(was)
  })
  it('left undoes right', () => {
    expect(turnedRect(turnedRect(was, [1000, 700], 'right'), [700, 1000], 'left')).toEqual(was)
  })
})

describe('guides', () => {
  it('of thirds are two lines each way', () => {
    expect(guideLines('thirds', picture).match(/M/g)).toHaveLength(4)
    expect(guideLines('none', picture)).toBe('')
  })
})

describe('maps', () => {
  it('go there and back', () => {
    const map: PlaneMap = [0.9, 0.2, 30, -0.2, 0.9, -12, 1e-4, -2e-5, 1]
    const [x, y] = apply(inverse(map), apply(map, [412.5, 93]))
    expect(x).toBeCloseTo(412.5, 9)
    expect(y).toBeCloseTo(93, 9)
  })
  it('a picture turned by a quarter lies in a box of swapped sides about the same middle', () => {
    const box = turnedBox([400, 200], 90)
    expect(box.width).toBeCloseTo(200)
    expect(box.left + box.width / 2).toBeCloseTo(200)
  })
})

describe('crops of a ratio', () => {
  it('are exact in whole pixels', () => {
    const crop = largestOf('4:5', picture, [2160, 1440])
    expect(crop.width * 5).toBe(crop.height * 4)
    expect(crop.height).toBeLessThanOrEqual(2880)
    expect(crop.height).toBeGreaterThan(2880 - 5)
  })
  it('stay exact while a corner is dragged, and keep the opposite corner', () => {
    const from = largestOf('4:5', picture, [2160, 1440])
    const crop = draggedCrop(from, 'nw', 200, 10, '4:5', picture, 16)
    expect(crop.width * 5).toBe(crop.height * 4)
    expect(crop.left + crop.width).toBe(from.left + from.width)
    expect(crop.top + crop.height).toBe(from.top + from.height)
  })
  it('stay with their subject as far as there is room', () => {
    expect(largestOf('1:1', picture, [1500, 1440]).left).toBe(60)
    expect(largestOf('1:1', picture, [100, 1440]).left).toBe(0)
    expect(largestOf('1:1', picture, [4300, 1440]).left).toBe(4320 - 2880)
  })
  it('cannot leave the picture', () => {
    const crop = draggedCrop({ left: 100, top: 100, width: 400, height: 500 }, 'se', 9000, 9000, '4:5', picture, 16)
    expect(crop.left + crop.width).toBeLessThanOrEqual(4320)
    expect(crop.top + crop.height).toBeLessThanOrEqual(2880)
    expect(draggedCrop(
      { left: 100, top: 100, width: 400, height: 500 }, 'move', -900, 9000, '4:5', picture, 16,
    )).toEqual({ left: 0, top: 2380, width: 400, height: 500 })
  })
  it('of no ratio move one side only', () => {
    expect(draggedCrop({ left: 100, top: 100, width: 400, height: 500 }, 'e', 50, 70, 'free', picture, 16)).toEqual({
      left: 100, top: 100, width: 450, height: 500,
    })
  })
  it('turn with the picture', () => {
    expect(turnedRatio('4:5')).toBe('5:4')
    expect(turnedRatio('free')).toBe('free')
  })
})
