import { computed, ref } from 'vue'

import { Problem, said, taken, type Schemas } from '../api/client'
import { droppedFiles } from './dropped'

/** A file that is being brought, and how far it is. */
export interface Coming {
  key: string
  name: string
  size: number
  sent: number
  state: 'coming' | 'here' | 'twice' | 'refused' | 'stopped'
  says: string
  file: File
  /** The name by which pieces know a file that was brought for them. */
  picture?: string
}

const PART = 4 << 20
/** Tries of a part before a person is asked. */
const TRIES = 5

/**
 * Brings files in parts to `place`, a ticket or a link, one file after another; an interrupted one goes on where it was.
 * Files for the pieces of a photo are kept with that, and are no photos of their own.
 */
export function useIntake(place: string, changed: () => Promise<void>, piecesOf?: string) {
  const files = ref<Coming[]>([])
  let running = false
  const done = computed(() => files.value.every((file) => file.state !== 'coming'))

  async function bring(list: File[]) {
    for (const file of list.filter((one) => !one.name.startsWith('.'))) {
      const key = `${file.name} ${file.size} ${file.lastModified} ${Math.random()}`
      files.value.push({ key, name: file.name, size: file.size, sent: 0, state: 'coming', says: '', file })
    }
    await work()
  }

  async function again(file: Coming) {
    file.state = 'coming'
    await work()
  }

  async function work() {
    if (running) return
    running = true
    for (let next = waiting(); next; next = waiting()) {
      await send(next)
      await changed()
    }
    running = false
  }
  const waiting = () => files.value.find((file) => file.state === 'coming')

  async function send(one: Coming) {
    try {
      const fingerprint = `${one.file.lastModified}`
      if (!one.size) throw new Problem(422, 'The file is empty.', 'Copy it again from the camera or card.')
      const body = { name: one.name, size: one.size, fingerprint }
      let upload = await asked(`${place}/uploads`, { method: 'POST', body: JSON.stringify(body), headers: { 'Content-Type': 'application/json' } })
      one.sent = upload.have
      let failures = 0
      while (!upload.brought) {
        try {
          const about = `offset=${upload.have}&name=${encodeURIComponent(one.name)}${piecesOf ? `&pieces_of=${piecesOf}` : ''}`
          upload = await asked(`${place}/uploads/${upload.id}?${about}`, {
            method: 'PUT', body: one.file.slice(upload.have, upload.have + PART),
          })
          one.sent = upload.have
          failures = 0
        } catch (error) {
          if (error instanceof Problem || ++failures === TRIES) throw error
          await new Promise((after) => setTimeout(after, 400 * 2 ** failures))
        }
      }
      const brought = upload.brought
      one.picture = brought.picture ?? undefined
      one.state = brought.problem ? 'refused' : brought.already_there ? 'twice' : 'here'
      one.says = brought.problem ?? (brought.already_there ? 'is on this ticket already' : 'brought')
    } catch (error) {
      const refused = error instanceof Problem
      one.state = refused ? 'refused' : 'stopped'
      one.says = refused ? said(error) : `The connection was lost after ${Math.round((100 * one.sent) / one.size)} %.`
    }
  }

  async function dropped(data: DataTransfer) {
    await bring((await droppedFiles(data)).files)
  }

  function clear() {
    files.value = files.value.filter((file) => file.state === 'coming')
  }
  return { files, done, bring, again, dropped, clear }
}

async function asked(address: string, request: RequestInit): Promise<Schemas['Upload']> {
  const answer: Response = await fetch(address, request)
  if (answer.status >= 500) throw new TypeError('the server failed')
  const said: unknown = await answer.json()
  return taken(answer.ok ? { data: said as Schemas['Upload'], response: answer } : { error: said, response: answer })
}
