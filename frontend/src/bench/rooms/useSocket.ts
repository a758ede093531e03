import { useWebSocket } from '@vueuse/core'
import { computed } from 'vue'

import type { Schemas } from '../../api/client'
import type { Frame, FrameHead } from '../types'

export type Look = Omit<Schemas['Look'], 'type' | 'serial'>
type Said = Schemas['SlipMessage'] | Schemas['BusyMessage'] | Schemas['ProblemMessage']

interface Handlers {
  frame(frame: Frame): void
  slip(said: Schemas['SlipMessage']): void
  /** Repairs that are being made beside, and how far each is. */
  busy(steps: Record<string, number>): void
  problem(sentence: string, hint: string): void
}

/** Frames in flight before a newer look waits: one being made, one on its way. */
const IN_FLIGHT = 2
/** The server's word that nobody is signed in. */
const NOBODY = 4401

/** The bench's socket: looks go out, newest first; frames come in. Connects again by itself, with growing pauses. */
export function useSocket(photo: string, handlers: Handlers) {
  let serial = 0
  let shown = 0
  let inFlight = 0
  let waiting: Look | null = null
  let last: Look | null = null

  const address = `${location.protocol === 'https:' ? 'wss' : 'ws'}://${location.host}/api/photos/${photo}/socket`
  const { status, send: transmit, close } = useWebSocket<ArrayBuffer | string>(address, {
    autoReconnect: { delay: (tries) => Math.min(400 * 1.6 ** tries, 5000) },
    onConnected(socket) {
      socket.binaryType = 'arraybuffer'
      inFlight = 0
      if (last) send(last)
    },
    onMessage(_, { data }: MessageEvent<ArrayBuffer | string>) {
      if (typeof data === 'string') hear(JSON.parse(data) as Said)
      else void receive(data)
    },
    onDisconnected(_, event) {
      if (event.code !== NOBODY) return
      close()
      location.assign('/sign-in')
    },
  })
  const connected = computed(() => status.value === 'OPEN')

  function look(asked: Look) {
    last = asked
    if (!connected.value) return
    if (inFlight >= IN_FLIGHT) waiting = asked
    else send(asked)
  }

  function send(asked: Look) {
    inFlight += 1
    serial += 1
    transmit(JSON.stringify({ type: 'look', serial, ...asked }), false)
  }

  function answered() {
    inFlight = Math.max(0, inFlight - 1)
    if (!waiting) return
    const next = waiting
    waiting = null
    send(next)
  }

  async function receive(data: ArrayBuffer) {
    const length = new DataView(data).getUint32(0)
    const head = JSON.parse(new TextDecoder().decode(new Uint8Array(data, 4, length))) as FrameHead
    const jpeg = new Blob([new Uint8Array(data, 4 + length)], { type: 'image/jpeg' })
    if (head.beside && head.original) {
      handlers.frame({ head, picture: await createImageBitmap(jpeg) })
      return
    }
    // looks that the server skipped for a newer one get no answer: the newest in flight is this one's successors
    inFlight = Math.min(inFlight, serial - head.serial + 1)
    answered()
    const picture = await createImageBitmap(jpeg)
    if (head.serial < shown) return picture.close()
    shown = head.serial
    handlers.frame({ head, picture })
  }

  function hear(said: Said) {
    if (said.type === 'slip') return handlers.slip(said)
    if (said.type === 'busy') return handlers.busy(said.steps)
    // only a problem that answers a look stands in place of its frame
    if (said.serial != null) answered()
    handlers.problem(said.sentence, said.hint)
  }

  /** Have the slip measured again: something was said that no pixel tells. */
  function measureAgain() {
    if (connected.value) transmit('{"type":"measure"}', false)
  }
  return { connected, look, measureAgain }
}
