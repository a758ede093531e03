import { mount } from '@vue/test-utils'
import { beforeEach, describe, expect, it, vi } from 'vitest'
import { nextTick, reactive } from 'vue'

import { around } from '../testing'
import SlipPanel from './SlipPanel.vue'
import { bench } from './testing/theBench'

vi.mock('./useBench', () => import('./testing/theBench'))

const line = (requirement: string, state: string, more: object = {}) => ({
  requirement, state, what: requirement, value: 'v', asks: 'a', judged: 'measured', where: null, ...more,
})
const NOTES = [
  { id: 'a', text: 'the bin', side: 'client', author: 'Ida', x: 0.1, y: 0.2, done_at: null },
  { id: 'b', text: 'too dark', side: 'desk', author: '', x: null, y: null, done_at: '2026-10-06T10:00:00Z' },
  { id: 'c', text: 'ours', side: 'editor', author: 'Mara', x: null, y: null, done_at: null },
]
const round = reactive({
  notes: [] as unknown[], pinAt: null as number[] | null, tick: vi.fn(), noteDone: vi.fn(), removeNote: vi.fn(), addNote: vi.fn(),
})
const show = vi.fn()
const tools = reactive({ tool: 'look' })
const startAgain = vi.fn()

function slip(verdicts: object[], share = 0) {
  Object.assign(bench, {
    frames: { verdicts }, ledger: { page: { slip_name: 'Valley Homes', photo: { note: 'Leave the pipe.' } } }, round, tools,
    view: { show }, judging: (act: () => void) => act(), walkover: { share, toggle: vi.fn(), startAgain },
  })
  return mount(SlipPanel, { attachTo: document.body, global: around })
}

beforeEach(() => {
  vi.clearAllMocks()
  round.notes = []
  round.pinAt = null
  tools.tool = 'look'
  document.body.innerHTML = ''
})

describe('the slip on the bench', () => {
  it.each([
    [[], ''],
    [[line('level', 'short'), line('ratio', 'open')], '1 short'],
    [[line('level', 'holds'), line('ratio', 'open')], '1 open'],
    [[line('level', 'holds'), line('size', 'later')], 'all holds'],
  ])('sums up how it stands', (verdicts, said) => expect(slip(verdicts).get('.top .number').text()).toBe(said))

  it('says what a line that is short asks, and shows where', async () => {
    const made = slip([line('clipped_whites', 'short', { value: '1.2 %', asks: '≤ 1 %', where: [1, 2, 3, 4] }), line('level', 'short')])
    expect(made.findAll('.asks').map((one) => one.text())).toEqual(['slip asks ≤ 1 %  · show', 'slip asks a'])
    await made.get('.asks button').trigger('click')
    expect(show).toHaveBeenCalledWith([1, 2, 3, 4])
  })

  it('lets a person tick what only an eye can tell', async () => {
    const made = slip([line('by_eye', 'open', { what: 'no number', judged: 'by eye' })])
    await made.get('.eye input').setValue(true)
    expect(round.tick).toHaveBeenCalledWith('no number', true)
  })

  it('counts what was looked at, never up to all before it is all', async () => {
    expect(slip([line('level', 'holds')], 0.998).get('[data-line=walkover] .value').text()).toBe('99 % looked at')
    const made = slip([line('level', 'holds')], 1)
    expect(made.get('[data-line=walkover]').text()).toContain('all looked at')
    await made.get('[data-line=walkover] button').trigger('click')
    expect(startAgain).toHaveBeenCalled()
  })
})

describe('notes beside the slip', () => {
  it('are listed with who says it, numbered where they have a place, and only our own are taken off', async () => {
    round.notes = NOTES
    const made = slip([])
    expect(made.findAll('.one').map((one) => one.text().replace(/\s+/g, ' '))).toEqual(['1 the bin Ida', 'too dark the desk', 'ours Mara×'])
    expect((made.findAll('.one input')[1]?.element as HTMLInputElement).checked).toBe(true)
    await made.findAll('.one input')[0]?.setValue(true)
    expect(round.noteDone).toHaveBeenCalledWith(NOTES[0], true)
    await made.get('.one button').trigger('click')
    expect(round.removeNote).toHaveBeenCalledWith(NOTES[2])
    expect(made.get('.first').text()).toContain('Leave the pipe.')
  })

  it('are written by Enter, without their edges, and left by Escape', async () => {
    const made = slip([])
    await made.get('.ways button').trigger('click')
    await made.get('textarea').setValue('  the bin ')
    await made.get('textarea').trigger('keydown', { key: 'Enter' })
    expect(round.addNote).toHaveBeenCalledWith('the bin')
    await nextTick()
    await made.get('.ways button').trigger('click')
    await made.get('textarea').setValue('never mind')
    await made.get('textarea').trigger('keydown', { key: 'Escape' })
    expect(made.find('textarea').exists()).toBe(false)
    expect(round.addNote).toHaveBeenCalledTimes(1)
  })

  it('begin where the photo was clicked', async () => {
    const made = slip([])
    await made.findAll('.ways button')[1]?.trigger('click')
    expect(tools.tool).toBe('note')
    round.pinAt = [10, 20]
    await nextTick()
    await nextTick()
    expect(document.activeElement).toBe(made.get('textarea').element)
    expect(made.get('form button').text()).toBe('Pin it')
    await made.findAll('form button')[1]?.trigger('click')
    expect(round.pinAt).toBeNull()
  })
})
