import { describe, expect, it } from 'vitest'
import { nextTick } from 'vue'

import { within } from '../../testing'
import { hands, lastPut, step } from '../testing/hands'

const made = (steps = [] as ReturnType<typeof step>[]) => within(() => hands(steps)).made

describe('the tools', () => {
  it('have something in hand at every station, and Clean takes its last method up again', async () => {
    const { tools } = made()
    const held: string[] = []
    for (const station of ['frame', 'clean', 'check'] as const) {
      tools.station = station
      await nextTick()
      held.push(tools.tool)
    }
    tools.station = 'clean'
    await nextTick()
    tools.tool = 'heal'
    await nextTick()
    tools.station = 'balance'
    await nextTick()
    tools.station = 'clean'
    await nextTick()
    expect([...held, tools.tool]).toEqual(['crop', 'dab', 'look', 'heal'])
  })

  it('say how a place is given, in Clean only', async () => {
    const { tools } = made()
    tools.takeUp('clean', 'patch')
    await nextTick()
    await nextTick()
    expect(tools.gesture).toBe('outline')
    tools.station = 'balance'
    expect(tools.gesture).toBeNull()
  })

  it('are taken and laid down, and show the whole picture in Frame', async () => {
    const { tools } = made()
    tools.pickNeutral()
    await nextTick()
    await nextTick()
    expect([tools.tool, tools.picking]).toEqual(['neutral', true])
    tools.pickNeutral()
    expect([tools.tool, tools.whole]).toEqual(['look', false])
    tools.station = 'frame'
    expect(tools.whole).toBe(true)
  })

  it('open the deck and the group of a step, and take it up', async () => {
    const { tools } = made([step('heal'), step('fringes'), step('hue_bands')])
    tools.open('hue_bands')
    await nextTick()
    expect([tools.station, tools.groups.balance, tools.selected]).toEqual(['balance', 'Hues', 'hue_bands'])
    tools.open('fringes')
    await nextTick()
    expect([tools.station, tools.groups.balance]).toEqual(['balance', 'Tone'])
    tools.open('heal')
    await nextTick()
    await nextTick()
    expect([tools.station, tools.tool, tools.selected]).toEqual(['clean', 'heal', 'heal'])
    tools.open('gone')
    expect(tools.selected).toBe('heal')
  })

  it('let go of a step that is no longer there', async () => {
    const { tools, ledger } = made([step('heal')])
    tools.station = 'clean'
    await nextTick()
    tools.selected = 'heal'
    ledger.steps = []
    await nextTick()
    expect(tools.selected).toBeNull()
  })

  it('lay down what works on nothing but the step that is gone, and keep what makes others', async () => {
    for (const [tool, after] of [['lead', 'look'], ['through', 'look'], ['cut', 'cut']]) {
      const { tools, ledger } = made([step('piece')])
      tools.station = 'pieces'
      await nextTick()
      tools.selected = 'piece'
      tools.tool = tool as string
      await nextTick()
      ledger.steps = []
      await nextTick()
      await nextTick()
      expect(tools.tool).toBe(after)
    }
  })

  it('size a pick between the ends of its ruler, by at least one pixel', () => {
    const { tools } = made()
    expect(tools.pickSize).toBe(24)
    tools.pickSize = 1
    tools.resizePick(1.15)
    expect(tools.pickSize).toBe(2)
    for (let turn = 0; turn < 60; turn++) tools.resizePick(1.5)
    expect(tools.pickSize).toBe(400)
  })

  it('take up a hue with its rulers at rest, beside those that are there', async () => {
    const { tools, ledger } = made([step('hue_bands', { params: { bands: [{ hue: 10 }] } })])
    await tools.addBand(200)
    expect(lastPut(ledger).put.params?.bands).toEqual([{ hue: 10 }, { turn: 0, width: 40, hue: 200 }])
    expect(tools.band).toBe(1)
    await tools.addBand({ x: 1, y: 2, size: 24 })
    expect((lastPut(ledger).put.params?.bands as unknown[])[2]).toEqual({ turn: 0, width: 40, mark: { x: 1, y: 2, size: 24 } })
  })

  it('square up by four corners, and drop what was cropped of another picture', async () => {
    const { tools, ledger } = made([step('crop'), step('straighten')])
    await tools.squareUp()
    expect(ledger.change).not.toHaveBeenCalled()
    tools.corners = [[0, 0], [9, 0], [9, 9], [0, 9]]
    await tools.squareUp()
    const [, changes] = ledger.change.mock.calls[0] as unknown as [string, { kind: string; id?: string; step?: { op: string } }[]]
    expect(changes.map((one) => one.id ?? one.step?.op)).toEqual(['crop', 'straighten', 'corners'])
    expect(tools.tool).toBe('crop')
  })
  it.each([
    ['without the ratio that was told of those before', { told_by: 'lens', off: 0.01 }, { ratio: null, told_by: null, off: null }],
    ['with the ratio that a person said', {}, { ratio: 1 }],
  ])('square up by other corners %s', async (_, before, after) => {
    const { tools, ledger } = made([step('corners', { params: { corners: [[0, 0], [4, 0], [4, 4], [0, 4]], ratio: 1, ...before } })])
    tools.corners = [[0, 0], [9, 0], [9, 18], [0, 18]]
    await tools.squareUp()
    const [, changes] = ledger.change.mock.calls[0] as unknown as [string, { step?: { params?: object } }[]]
    expect(changes[0]?.step?.params).toEqual({ corners: tools.corners, ...after })
  })
})

describe('the proof', () => {
  it('lights one lamp at a time and puts it out again, and so with wipe and pair', () => {
    const { proof } = made()
    proof.light('cast')
    proof.light('clip')
    expect(proof.lamp).toBe('clip')
    proof.light('clip')
    expect(proof.lamp).toBeNull()
    proof.prove('wipe')
    proof.prove('pair')
    expect(proof.way).toBe('pair')
    proof.prove('pair')
    expect(proof.way).toBe('none')
  })
})
