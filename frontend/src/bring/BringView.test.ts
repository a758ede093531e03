import { flushPromises, mount } from '@vue/test-utils'
import FileUpload from 'primevue/fileupload'
import { afterEach, describe, expect, it, vi } from 'vitest'

import { answering, around, problem } from '../testing'
import BringView from './BringView.vue'

const PAGE = { title: 'Attic rooms', client: 'Race Mill', ends_at: '2027-01-10T17:00:00Z', room: 2_400_000_000 }
const BROUGHT = { photo: 'p', title: 'front', already_there: false, problem: null }

async function page(answers: Record<string, unknown> = {}) {
  const asked = answering({ 'GET /api/bring/token': PAGE, ...answers })
  const made = mount(BringView, { props: { token: 'token' }, global: { ...around, stubs: { PageHead: true } } })
  await flushPromises()
  const bring = async (...files: File[]) => {
    made.findComponent(FileUpload).vm.$emit('uploader', { files })
    await flushPromises()
  }
  return { made, asked, bring }
}
afterEach(() => vi.unstubAllGlobals())

describe('the page to bring photos to', () => {
  it('says until when and how much', async () => {
    const { made } = await page()
    expect(made.text()).toContain('room for 2.4 GB more')
  })

  it('brings a file in parts, and says what became of it', async () => {
    const { made, asked, bring } = await page({
      'POST /api/bring/token/uploads': { id: 'u', have: 0, brought: null },
      'PUT /api/bring/token/uploads/u': { id: 'u', have: 5, brought: BROUGHT },
    })
    await bring(new File(['front'], 'front.jpg', { lastModified: 7 }))
    expect(made.get('.file').text()).toBe('front.jpgbrought')
    expect(asked.find((one) => one.method === 'POST')?.body).toEqual({ name: 'front.jpg', size: 5, fingerprint: '7' })
    expect(asked.filter((one) => one.method === 'GET')).toHaveLength(2) // the room that is left
  })

  it('says why a file is not taken, and takes the next', async () => {
    let first = true
    const { made, bring } = await page({
      'POST /api/bring/token/uploads': () => {
        const answer = first ? problem(413, 'There is no room for it.', 'Ask for another link.') : { id: 'u', have: 5, brought: BROUGHT }
        first = false
        return answer
      },
    })
    await bring(new File(['large'], 'large.tif'), new File(['front'], 'front.jpg'))
    expect(made.findAll('.file').map((row) => row.text())).toEqual(['large.tifThere is no room for it. Ask for another link.', 'front.jpgbrought'])
  })

  it('keeps what it has said of files when the link ends meanwhile', async () => {
    let holds = true
    const { made, bring } = await page({
      'GET /api/bring/token': () => (holds ? PAGE : problem(404, 'This link does not hold any more. Ask for a new one.')),
      'POST /api/bring/token/uploads': () => {
        holds = false
        return problem(404, 'This link does not hold any more.', 'Ask for a new one.')
      },
    })
    await bring(new File(['front'], 'front.jpg'))
    expect(made.get('.p-message').text()).toBe('This link does not hold any more. Ask for a new one.')
    expect(made.get('.file').text()).toContain('front.jpg')
  })
})
