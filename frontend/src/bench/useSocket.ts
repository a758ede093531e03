import { onBeforeUnmount, ref } from 'vue'

import type { Step, Verdict } from '../api/client'
import type { PlaneMap, Point } from './geometry'

export interface View {
  left: number
  top: number
  scale: number
  width: number
  height: number
  whole: boolean
}

/** What the server says about a frame. */
export interface FrameHead {
  serial: number
  revision: number
  draft: boolean
  fine: boolean
  original: boolean
  beside: boolean
  lamp: string | null
  view: View
  size: Point
  crop: [number, number, number, number]
  /** The largest rectangle without a blank corner. */
  room: [number, number, number, number]
  turned: Point
  angle: number
  to_source: PlaneMap
  level_to_source: PlaneMap
  /** Print sizes in inches that the crop serves as it is. */
  prints: { across: number; down: number; ppi: number }[]
  milliseconds: { render: number; encode: number }
}

export interface Look {
  revision: number
  view: View
  draft?: Step
  original: boolean
  beside: boolean
  lamp?: string
  fine: boolean
  surround: number
}

export interface NeutralMark {
  x: number
  y: number
  size: number
  cast: number
}

interface Handlers {
  frame(head: FrameHead, picture: ImageBitmap): void
  slip(verdicts: Verdict[], neutrals: NeutralMark[], histogram: number[][]): void
  /** Repairs that are being made beside, and how far each is. */
  busy(steps: Record<string, number>): void
  problem(sentence: string, hint: string): void
}

/** Frames in flight before a newer look waits: one being made, one on its way. */
const IN_FLIGHT = 2

/** The bench's socket: looks go out, newest first; frames come in. Connects again by itself. */
export function useSocket(photo: string, handlers: Handlers) {
  const connected = ref(false)
  let socket: WebSocket | null = null
  let serial = 0
  let shown = 0
  let inFlight = 0
  let waiting: Look | null = null
  let last: Look | null = null
  let closed = false
  let retry = 400

  function connect() {
    socket = new WebSocket(`${location.protocol === 'https:' ? 'wss' : 'ws'}://${location.host}/api/photos/${photo}/socket`)
    socket.binaryType = 'arraybuffer'
    socket.onopen = () => {
      connected.value = true
      retry = 400
      inFlight = 0
      if (last) send(last)
    }
    socket.onmessage = (event: MessageEvent<ArrayBuffer | string>) => {
      if (typeof event.data === 'string') hear(event.data)
      else void receive(event.data)
    }
    socket.onclose = (event) => {
      connected.value = false
      if (closed) return
      if (event.code === 4401) location.assign('/sign-in')
      else setTimeout(connect, (retry = Math.min(retry * 1.6, 5000)))
    }
  }

  function look(asked: Look) {
    last = asked
    if (!connected.value) return
    if (inFlight >= IN_FLIGHT) waiting = asked
    else send(asked)
  }

  function send(asked: Look) {
    inFlight += 1
    serial += 1
    socket?.send(JSON.stringify({ type: 'look', serial, ...asked }))
  }

  function answered() {
    inFlight = Math.max(0, inFlight - 1)
    if (waiting) {
      const next = waiting
      waiting = null
      send(next)
    }
  }

  async function receive(data: ArrayBuffer) {
    const length = new DataView(data).getUint32(0)
    const head = JSON.parse(new TextDecoder().decode(new Uint8Array(data, 4, length))) as FrameHead
    if (head.beside && head.original) {
      handlers.frame(head, await createImageBitmap(new Blob([new Uint8Array(data, 4 + length)], { type: 'image/jpeg' })))
      return
    }
    // looks that the server skipped for a newer one get no answer: the newest in flight is this one's successors
    inFlight = Math.min(inFlight, serial - head.serial + 1)
    answered()
    const picture = await createImageBitmap(new Blob([new Uint8Array(data, 4 + length)], { type: 'image/jpeg' }))
    if (head.serial < shown) return picture.close()
    shown = head.serial
    handlers.frame(head, picture)
  }

  function hear(text: string) {
    const said = JSON.parse(text) as { type: string; verdicts: Verdict[]; neutrals: NeutralMark[]; histogram: number[][]; steps: Record<string, number>; sentence: string; hint: string; serial?: number | null }
    if (said.type === 'slip') handlers.slip(said.verdicts, said.neutrals, said.histogram)
    else if (said.type === 'busy') handlers.busy(said.steps)
    else {
      // only a problem that answers a look stands in place of its frame
      if (said.serial != null) answered()
      handlers.problem(said.sentence, said.hint)
    }
  }

  connect()
  onBeforeUnmount(() => {
    closed = true
    socket?.close()
  })
  /** Have the slip measured again: something was said that no pixel tells. */
  function measureAgain() {
    if (connected.value) socket?.send('{"type":"measure"}')
  }
  return { connected, look, measureAgain }
}
