import createClient, { type Middleware } from 'openapi-fetch'

import type { components, paths } from './schema'

export type Schemas = components['schemas']
export type Step = Schemas['Step']
export type LedgerView = Schemas['LedgerView']
export type LedgerChange = Schemas['LedgerChange']
export type Verdict = {
  requirement: string
  what: string
  value: string
  state: 'holds' | 'short' | 'measuring' | 'open' | 'later'
  asks: string
  judged: 'measured' | 'by eye'
  where: [number, number, number, number] | null
  explained?: string
}

/** What went wrong and what to do, from the server's problem details. */
export class Problem extends Error {
  constructor(readonly status: number, title: string, readonly hint: string) {
    super(title)
  }
}

/** What went wrong and what to do, as sentences for the page itself. */
export function said(error: unknown): string {
  return error instanceof Problem ? `${error.message} ${error.hint}`.trim() : 'The server cannot be reached. Try again in a moment.'
}

export const api = createClient<paths>({ baseUrl: location.origin, fetch: (request) => fetch(request) })

const toSignIn: Middleware = {
  onResponse({ response, request }) {
    const own = new URL(request.url).pathname === '/api/session'
    const outside = /^\/(proofs|take|bring|first)\//.test(location.pathname)
    if (response.status === 401 && !own && !outside) location.assign(`/sign-in?to=${encodeURIComponent(location.pathname)}`)
    return response
  },
}
api.use(toSignIn)

/** A body that goes as it is: a file, or a form with one. */
export function asItIs(body: File | FormData) {
  return { body: body as never, bodySerializer: (one: unknown) => one as never }
}

/** The data of an answer, or a Problem that says what to do. */
export function taken<T>(answer: { data?: T; error?: unknown; response: Response }): T {
  if (answer.error === undefined) return answer.data as T
  // a proxy in between may answer with something of its own
  const said = answer.error as Partial<Schemas['Problem']>
  throw new Problem(answer.response.status, said.title ?? 'The server did not answer.', said.detail ?? (said.title ? '' : 'Try again in a moment.'))
}
