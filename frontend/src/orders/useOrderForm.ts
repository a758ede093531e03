import { reactive, ref } from 'vue'

import { api, taken, type Schemas } from '../api/client'

export const KINDS = ['property', 'food', 'product', 'animal', 'artwork', 'panorama'] as const
export type Kind = (typeof KINDS)[number]

/** What an order says, as somebody writes it down. */
export interface OrderForm {
  title: string
  client: string
  kind: Kind
  due: Date
  brief: string
  slip: string
  ways: string[]
  editors: string[]
  requests: Schemas['Request'][]
}

/** What the lists of an order's form offer. */
export function useOffers() {
  const clients = ref<Schemas['ClientRow'][]>([])
  const slips = ref<string[]>([])
  const ways = ref<Schemas['WayRow'][]>([])
  const people = ref<Schemas['AtWork'][]>([])
  async function load() {
    const [one, two, three, four] = await Promise.all([
      api.GET('/api/clients', { params: { query: { limit: 500 } } }), api.GET('/api/slips'), api.GET('/api/ways'), api.GET('/api/people-at-work'),
    ])
    clients.value = taken(one).clients
    slips.value = taken(two).map((kept) => kept.slip.name)
    ways.value = taken(three)
    people.value = taken(four)
  }
  async function takeLibrary() {
    slips.value = taken(await api.POST('/api/slips/library')).map((kept) => kept.slip.name)
  }
  return reactive({ clients, slips, ways, people, load, takeLibrary })
}

/** The end of the working day three days from now: what most orders get. */
export function usualDue(now = new Date()): Date {
  const due = new Date(now)
  due.setDate(due.getDate() + 3)
  due.setHours(17, 0, 0, 0)
  return due
}

export function emptyOrder(): OrderForm {
  return { title: '', client: '', kind: 'property', due: usualDue(), brief: '', slip: '', ways: [], editors: [], requests: [] }
}

/** Several requests as text, a line each: `photo: what is wanted`. */
export function requestLines(requests: Schemas['Request'][]): string {
  return requests.map((one) => `${one.photo}: ${one.request}`).join('\n')
}

export function requestsOf(text: string): Schemas['Request'][] {
  return text.split('\n').flatMap((line) => {
    const [, photo, request] = /^([^:]+):\s*(.+)$/.exec(line.trim()) ?? []
    return photo && request ? [{ photo: photo.trim(), request: request.trim() }] : []
  })
}
