/** Do something that may fail. What goes wrong is said; then there is no result. */
export function tryingWith(sayError: (error: unknown) => void) {
  return async function trying<T>(work: () => Promise<T>): Promise<T | undefined> {
    try {
      return await work()
    } catch (error) {
      sayError(error)
      return undefined
    }
  }
}
