import { flushPromises, mount, type VueWrapper } from '@vue/test-utils'
import InputNumber from 'primevue/inputnumber'
import Select from 'primevue/select'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'

import FileButton from '../parts/FileButton.vue'
import { useSession } from '../common/useSession'
import { answering, around, choose, problem } from '../testing'
import SlipsView from './SlipsView.vue'

const keep = (made: VueWrapper) => made.get('.top .p-button')

const { sayError, say } = vi.hoisted(() => ({ sayError: vi.fn(), say: vi.fn() }))
vi.mock('../common/useSaying', () => ({ useSaying: () => ({ sayError, say }) }))

const field = (name: string, kind = 'number', options: (string | number)[] = []) => ({ name, kind, options, low: null, high: null, hint: '' })
const KINDS = [
  { requirement: 'level', words: 'level', begins: { at_most: 0.3, tolerance: 0 }, fields: [field('at_most'), field('tolerance')] },
  {
    requirement: 'ratio', words: 'ratio', begins: { across: 3, down: 2, either_way: false, tolerance: 1 },
    fields: [field('across'), field('down'), field('either_way', 'yes'), field('tolerance')],
  },
  {
    requirement: 'format', words: 'file format', begins: { format: 'JPEG', quality: 100 },
    fields: [field('format', 'choice', ['JPEG', 'PNG', 'TIFF']), field('quality')],
  },
  { requirement: 'by_eye', words: 'by eye', several: true, begins: { words: 'it is calm' }, fields: [field('words', 'text')] },
  { requirement: 'metadata', words: 'required metadata', begins: { fields: ['title'] }, fields: [field('fields', 'words', ['title', 'creator'])] },
]
const HOMES = {
  name: 'Valley Homes', name_pattern: '{client}',
  lines: [{ requirement: 'level', at_most: 0.4, tolerance: 0 }, { requirement: 'format', format: 'JPEG', quality: 90 }],
}
const EXAMPLE = {
  file_name: 'Race-Mill.jpg', asks: [{ what: 'level', asks: '≤ 0.4°' }, { what: 'no number', asks: 'no number' }],
  prints: ['4 × 6 in at 600 ppi'],
}

async function editor(more: Record<string, unknown> = {}) {
  const asked = answering({
    'GET /api/slips': [{ id: 's', version: 2, slip: HOMES }],
    'GET /api/slips/lines': KINDS,
    'POST /api/slips/example': EXAMPLE,
    'PUT /api/slips': { id: 's', version: 3, slip: HOMES },
    ...more,
  })
  const made = mount(SlipsView, { global: { ...around, stubs: { PageHead: true } } })
  await flushPromises()
  const line = (words: string) => {
    const found = made.findAll('.sheet .line').find((one) => one.find('strong').exists() && one.get('strong').text() === words)
    if (!found) throw new Error(`no line ${words}`)
    return found
  }
  const sent = () => asked.filter((one) => one.path === '/api/slips/example').at(-1)?.body as typeof HOMES
  return { made, asked, line, sent }
}

beforeEach(() => (useSession().person.value = { name: 'Mara', role: 'lead' } as never))
afterEach(() => {
  vi.unstubAllGlobals()
  vi.restoreAllMocks()
  vi.clearAllMocks()
})

describe('the library of slips', () => {
  it('opens the first slip, with a field for all that each line asks, the tolerance last', async () => {
    const { made, line } = await editor()
    expect(made.get('.kept').text()).toContain('version 2, 2 lines')
    expect(line('level').findAll('.fields .field > .soft').map((one) => one.text())).toEqual(['at most', 'tolerance'])
    expect((line('level').get('input').element as HTMLInputElement).value).toBe('0.4')
    expect(line('file format').get('[role=combobox]').text()).toBe('JPEG')
  })

  it('says what it means while it is changed', async () => {
    const { made, line, sent } = await editor()
    expect(made.get('.example').text()).toContain('Race-Mill.jpg')
    expect(made.get('.example').text()).toContain('by eye')
    expect(made.get('.example').text()).toContain('4 × 6 in at 600 ppi')
    line('level').findComponent(InputNumber).vm.$emit('input', { value: 0.2 })
    line('file format').findComponent(Select).vm.$emit('update:modelValue', 'TIFF')
    await flushPromises()
    expect(sent().lines).toEqual([{ requirement: 'level', at_most: 0.2, tolerance: 0 }, { requirement: 'format', format: 'TIFF', quality: 90 }])
  })

  it('adds a line with what is usual, and takes it out again', async () => {
    const { made, line, sent } = await editor()
    await choose(made, 'Another line', 'ratio')
    await flushPromises()
    expect(sent().lines[2]).toEqual({ requirement: 'ratio', across: 3, down: 2, either_way: false, tolerance: 1 })
    await line('ratio').get('input[type=checkbox]').setValue(true)
    await flushPromises()
    expect(sent().lines[2]).toMatchObject({ either_way: true })
    await line('ratio').get('button').trigger('click')
    await flushPromises()
    expect(sent().lines).toHaveLength(2)
  })

  it('offers the lines that it lacks, and those of which it may have several', async () => {
    const { made } = await editor()
    const offered = () => {
      const list = made.findAllComponents(Select).find((one) => one.props('placeholder') === 'another line…')
      return (list?.props('options') as typeof KINDS).map((kind) => kind.requirement)
    }
    expect(offered()).toEqual(['ratio', 'by_eye', 'metadata'])
    await choose(made, 'Another line', 'ratio')
    await choose(made, 'Another line', 'by_eye')
    await flushPromises()
    expect(offered()).toEqual(['by_eye', 'metadata'])
  })

  it('gathers the words that metadata has to say', async () => {
    const { made, line, sent } = await editor()
    await choose(made, 'Another line', 'metadata')
    const [title, creator] = line('required metadata').findAll('.words input')
    await creator?.setValue(true)
    await title?.setValue(false)
    await flushPromises()
    expect(sent().lines[2]).toEqual({ requirement: 'metadata', fields: ['creator'] })
  })

  it('says what is wrong, and keeps nothing until it is mended', async () => {
    const { made } = await editor({ 'POST /api/slips/example': () => problem(422, 'No such pattern.', 'Use {ticket}.') })
    expect(made.get('[role=alert]').text()).toBe('No such pattern. Use {ticket}.')
    expect(keep(made).attributes('disabled')).toBeDefined()
  })

  it('keeps a new version and says that tickets keep theirs', async () => {
    const { made, asked } = await editor()
    await keep(made).trigger('click')
    await flushPromises()
    expect(asked.find((one) => one.method === 'PUT')?.body).toEqual(HOMES)
    expect(say.mock.calls[0]?.[0]).toContain('version 3')
  })

  it('begins a new slip beside those that are kept', async () => {
    const { made, sent } = await editor()
    await made.get('.new').trigger('click')
    await flushPromises()
    expect(sent()).toMatchObject({ name: 'New slip', lines: [{ requirement: 'ratio' }, { requirement: 'format' }] })
    expect(made.get('.kept').attributes('aria-pressed')).toBe('false')
    await made.get('.kept').trigger('click')
    await flushPromises()
    expect(sent()).toEqual(HOMES)
  })

  it('goes out as a file of JSON and comes back from it, and says what is none', async () => {
    const { made, sent } = await editor()
    const left: HTMLAnchorElement[] = []
    vi.spyOn(HTMLAnchorElement.prototype, 'click').mockImplementation(function (this: HTMLAnchorElement) { left.push(this) })
    await made.findAll('button').find((one) => one.text() === 'As JSON')?.trigger('click')
    expect(left[0]?.download).toBe('Valley Homes.json')
    const told = decodeURIComponent(left[0]?.href.split(',').slice(1).join(',') ?? '')
    expect(JSON.parse(told)).toEqual(HOMES)

    const bring = async (text: string) => {
      made.findComponent(FileButton).vm.$emit('chosen', [new File([text], 'slip.json')])
      await flushPromises()
    }
    await bring(told.replace('Valley Homes', 'Hill Homes'))
    expect(sent()).toEqual({ ...HOMES, name: 'Hill Homes' })
    expect(say).toHaveBeenLastCalledWith('Look at it, then keep it.')
    await bring('{')
    expect(sayError.mock.calls[0]?.[0]).toMatchObject({ message: 'slip.json is not JSON.' })
    expect(sent().name).toBe('Hill Homes')
  })

  it('is looked at, and not kept, by those who do not lead', async () => {
    useSession().person.value = { name: 'Jonas', role: 'editor' } as never
    const { made } = await editor()
    expect(keep(made).attributes('disabled')).toBeDefined()
    expect(made.text()).toContain('Kept by those who lead.')
  })

  it('says so when the library does not come', async () => {
    const { made } = await editor({ 'GET /api/slips': () => problem(503, 'The database is away.') })
    expect(sayError.mock.calls[0]?.[0]).toMatchObject({ message: 'The database is away.' })
    expect(made.find('.top').exists()).toBe(false)
  })
})
