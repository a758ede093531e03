import { useToast } from 'primevue/usetoast'

import { Problem } from '../api/client'

/** Tell the person what went wrong and what to do. */
export function useSaying() {
  const toast = useToast()
  function sayProblem(sentence: string, hint = '') {
    toast.add({ severity: 'error', summary: sentence, detail: hint, life: 9000 })
  }
  function sayError(error: unknown) {
    if (error instanceof Problem) sayProblem(error.message, error.hint)
    else sayProblem('The server cannot be reached.', 'What was saved is safe. Check that the application runs, then go on.')
  }
  function say(sentence: string) {
    toast.add({ severity: 'secondary', summary: sentence, life: 3500 })
  }
  return { sayProblem, sayError, say }
}
