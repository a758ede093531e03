import { mount } from '@vue/test-utils'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { defineComponent, h } from 'vue'

import { useSocket, type Look } from './useSocket'

/** A socket whose other end is the test. */
class FakeSocket {
  static all: FakeSocket[] = []
  static readonly OPEN = 1
  readyState = 0
  sent: { serial: number; view: { left: number } }[] = []
  onopen: (() => void) | null = null
  onerror: (() => void) | null = null
  onmessage: ((event: { data: unknown }) => void) | null = null
  onclose: ((event: { code: number }) => void) | null = null
  binaryType = ''
  closed = false
  constructor(readonly url: string) {
    FakeSocket.all.push(this)
  }
  open() {
    this.readyState = 1
    this.onopen?.()
  }
  send(text: string) {
    this.sent.push(JSON.parse(text))
  }
  cut(code: number) {
    this.readyState = 3
    this.onclose?.({ code })
  }
  close() {
    this.closed = true
  }
  frame(serial: number) {
    const head = new TextEncoder().encode(JSON.stringify({ serial }))
    const data = new Uint8Array(4 + head.length + 2)
    new DataView(data.buffer).setUint32(0, head.length)
    data.set(head, 4)
    this.onmessage?.({ data: data.buffer })
  }
}

const look = (left: number): Look => ({
  revision: 1, view: { left, top: 0, scale: 1, width: 10, height: 10, whole: false, around: null },
  original: false, beside: false, fine: true, surround: 119, draft: null, lamp: null, cover: null,
})

function opened() {
  const heard = { frames: [] as number[], slips: 0, problems: [] as string[] }
  let socket: ReturnType<typeof useSocket> | undefined
  const page = mount(defineComponent({
    setup() {
      socket = useSocket('p', {
        frame: ({ head }) => heard.frames.push(head.serial),
        slip: () => (heard.slips += 1),
        busy: () => undefined,
        problem: (sentence) => heard.problems.push(sentence),
      })
      return () => h('div')
    },
  }))
  if (!socket) throw new Error('no socket')
  const wire = () => FakeSocket.all[FakeSocket.all.length - 1] as FakeSocket
  return { page, socket, wire, heard }
}

beforeEach(() => {
  FakeSocket.all = []
  vi.stubGlobal('WebSocket', FakeSocket)
  vi.stubGlobal('createImageBitmap', async () => ({ close: () => undefined }))
  vi.useFakeTimers()
})
afterEach(() => {
  vi.unstubAllGlobals()
  vi.useRealTimers()
})
const settle = () => vi.advanceTimersByTimeAsync(0)

describe('the bench socket', () => {
  it('sends what was asked before it was open', () => {
    const { socket, wire } = opened()
    socket.look(look(5))
    expect(wire().sent).toHaveLength(0)
    wire().open()
    expect(wire().sent.map((l) => l.view.left)).toEqual([5])
  })

  it('keeps two looks in flight and of the rest only the newest', async () => {
    const { socket, wire } = opened()
    wire().open()
    for (let left = 1; left <= 9; left++) socket.look(look(left))
    expect(wire().sent.map((l) => l.view.left)).toEqual([1, 2])
    wire().frame(1)
    await settle()
    expect(wire().sent.map((l) => l.view.left)).toEqual([1, 2, 9])
    wire().frame(2)
    wire().frame(3)
    await settle()
    expect(wire().sent).toHaveLength(3)
  })

  it('goes on when the server skipped a look for a newer one', async () => {
    const { socket, wire } = opened()
    wire().open()
    socket.look(look(1))
    socket.look(look(2))
    wire().frame(2)
    await settle()
    socket.look(look(3))
    socket.look(look(4))
    expect(wire().sent.map((l) => l.view.left)).toEqual([1, 2, 3, 4])
  })

  it('never shows an older frame after a newer one', async () => {
    const { wire, heard } = opened()
    wire().open()
    wire().frame(2)
    wire().frame(1)
    await settle()
    expect(heard.frames).toEqual([2])
  })

  it('passes on slips and problems; only a problem that answers a look frees its place', async () => {
    const { socket, wire, heard } = opened()
    wire().open()
    for (let left = 1; left <= 3; left++) socket.look(look(left))
    wire().onmessage?.({ data: JSON.stringify({ type: 'slip', verdicts: [], neutrals: [] }) })
    wire().onmessage?.({ data: JSON.stringify({ type: 'problem', sentence: 'A repair failed.', hint: '', serial: null }) })
    expect(wire().sent.map((l) => l.view.left)).toEqual([1, 2])
    wire().onmessage?.({ data: JSON.stringify({ type: 'problem', sentence: 'No.', hint: '', serial: 1 }) })
    expect(heard.slips).toBe(1)
    expect(heard.problems).toEqual(['A repair failed.', 'No.'])
    expect(wire().sent.map((l) => l.view.left)).toEqual([1, 2, 3])
  })

  it('connects again after it was cut off, and asks again for what was last looked at', async () => {
    const { socket, wire } = opened()
    wire().open()
    socket.look(look(7))
    wire().cut(1006)
    expect(socket.connected.value).toBe(false)
    await vi.advanceTimersByTimeAsync(1000)
    expect(FakeSocket.all).toHaveLength(2)
    wire().open()
    expect(wire().sent.map((l) => l.view.left)).toEqual([7])
  })

  it('stays closed when the page is left', async () => {
    const { page, wire } = opened()
    wire().open()
    page.unmount()
    expect(wire().closed).toBe(true)
    wire().cut(1000)
    await vi.advanceTimersByTimeAsync(10_000)
    expect(FakeSocket.all).toHaveLength(1)
  })
})
