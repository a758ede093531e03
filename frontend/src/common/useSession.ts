import { ref, watch } from 'vue'

import { api, type Schemas } from '../api/client'

const person = ref<Schemas['SignedInAs'] | null>(null)
// those who know the keys do not want to read them
watch(person, (now) => document.documentElement.classList.toggle('no-hints', now?.likes?.hints === false))

/** Who is signed in. One state for the whole page. */
export function useSession() {
  async function ask() {
    const { data } = await api.GET('/api/session')
    person.value = data ?? null
  }
  async function signIn(sign_in: string, password: string): Promise<string | null> {
    const { data, error } = await api.POST('/api/session', { body: { sign_in, password } })
    person.value = data ?? null
    return error ? problemText(error) : null
  }
  async function signOut() {
    await api.DELETE('/api/session')
    person.value = null
  }
  return { person, ask, signIn, signOut }
}

function problemText(error: unknown): string {
  const title = (error as { title?: string }).title
  return title ?? 'The server did not answer. Try again in a moment.'
}
