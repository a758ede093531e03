import { mount, RouterLinkStub, type VueWrapper } from '@vue/test-utils'
import PrimeVue from 'primevue/config'
import ConfirmationService from 'primevue/confirmationservice'
import Select from 'primevue/select'
import SelectButton from 'primevue/selectbutton'
import ToastService from 'primevue/toastservice'
import { vi } from 'vitest'
import { defineComponent } from 'vue'

import type { Schemas } from './api/client'

export type Ruler = Schemas['ShownRuler']
export type Operation = Schemas['OperationView']

/** What every screen has around it: PrimeVue and its services, links, tooltips that say nothing. */
export const around = {
  plugins: [PrimeVue, ToastService, ConfirmationService],
  directives: { tooltip: {} },
  stubs: { RouterLink: RouterLinkStub },
}

/** Choose from a list or a row of choices, by what it is called. */
export async function choose(made: VueWrapper, label: string, value: unknown) {
  const all = [...made.findAllComponents(Select), ...made.findAllComponents(SelectButton)]
  const found = all.find((one) => one.attributes('aria-label') === label || (one.props() as { ariaLabel?: string }).ariaLabel === label)
  if (!found) throw new Error(`no choice is called ${label}`)
  found.vm.$emit('update:modelValue', value)
  found.vm.$emit('change', { value })
  await made.vm.$nextTick()
}

/** A ruler as the server declares one. */
export function ruler(param: string, more: Partial<Ruler> = {}): Ruler {
  return { kind: 'ruler', param, name: param, unit: '', step: 1, low: -100, high: 100, rest: 0, times: 1, plus: 0, ends: null, scale: 'linear', ...more }
}

/** An operation as the server declares one. */
export function operation(title: string, station: string, more: Partial<Operation> = {}): Operation {
  return {
    title, station: station as Operation['station'], summary: '', gesture: 'none', how: '', params: [], group: '',
    controls: [], tip: [], interchangeable: false,
    advised: false, yields: false, rank: 50, alone: true, begun: {}, masked: false, limits: false, tunable: true,
    alters: true, proposed: false, takes: 0, charted: false, example: {}, ...more,
  }
}

export interface Asked { method: string; path: string; body: unknown }
type Answer = unknown

/** Answers requests by `METHOD /path`, in place of the server; returns the list of what is asked. */
export function answering(answers: Record<string, Answer>): Asked[] {
  const asked: Asked[] = []
  vi.stubGlobal('fetch', async (wanted: Request | string, how?: RequestInit) => {
    const request = typeof wanted === 'string' ? new Request(new URL(wanted, location.origin), how) : wanted
    const path = new URL(request.url).pathname
    const text = await request.text()
    const isJson = request.headers.get('Content-Type')?.startsWith('application/json')
    const body: unknown = isJson && text ? JSON.parse(text) : text || undefined
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
