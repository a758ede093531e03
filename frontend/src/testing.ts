import { mount } from '@vue/test-utils'
import { vi } from 'vitest'
import { defineComponent } from 'vue'

export interface Asked { method: string; path: string; body: unknown }
type Answer = unknown

/** Answers requests by `METHOD /path`, in place of the server; returns the list of what is asked. */
export function answering(answers: Record<string, Answer>): Asked[] {
  const asked: Asked[] = []
  vi.stubGlobal('fetch', async (request: Request) => {
    const path = new URL(request.url).pathname
    const text = await request.text()
    const body: unknown = text ? JSON.parse(text) : undefined
    asked.push({ method: request.method, path, body })
    const found = answers[`${request.method} ${path}`]
    const answer: unknown = typeof found === 'function' ? await (found as (body: unknown) => unknown)(body) : found
    if (answer === undefined) return problem(404, 'There is no such thing.')
    return answer instanceof Response ? answer : json(answer)
  })
  return asked
}

export function problem(status: number, title: string, detail = ''): Response {
  return json({ title, detail }, status)
}

/** A promise and its end, for answers that come when a test says so. */
export function held<T>(): { promise: Promise<T>; give: (value: T) => void } {
  let give: (value: T) => void = () => undefined
  const promise = new Promise<T>((resolve) => (give = resolve))
  return { promise, give }
}

/** Runs a composable as a component's setup would; `end` takes the component away. */
export function within<T>(use: () => T): { made: T; end: () => void } {
  let made: T | undefined
  const component = mount(defineComponent({ setup() { made = use(); return () => null } }))
  return { made: made as T, end: () => component.unmount() }
}

function json(body: unknown, status = 200): Response {
  return new Response(JSON.stringify(body), { status, headers: { 'Content-Type': 'application/json' } })
}
