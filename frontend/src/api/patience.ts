import { Problem } from './client'

/** Longest pause between two tries, and the first one, milliseconds. */
const LONGEST = 5000
const FIRST = 400

/** Whether the server, or what it needs, is not there at the moment. */
function isAway(error: unknown): boolean {
  return error instanceof Problem ? [502, 503, 504].includes(error.status) : error instanceof TypeError
}

/** Ask until somebody is there to answer, after pauses that grow; `missed` is called before each of them. */
export async function patiently<T>(ask: () => Promise<T>, missed: () => void): Promise<T> {
  for (let pause = FIRST; ; pause = Math.min(1.6 * pause, LONGEST)) {
    try {
      return await ask()
    } catch (error) {
      if (!isAway(error)) throw error
      missed()
      await new Promise((go) => setTimeout(go, pause))
    }
  }
}
