import type { Schemas } from '../api/client'

export type Stage = Schemas['Photo']['stage']

/** How a photo's stage is said. */
export const STAGES: Record<Stage, string> = {
  waiting: 'waiting', bench: 'on the bench', checked: 'checked', handed_over: 'handed over', returned: 'returned', accepted: 'accepted',
}

/** What a ticket waits for, by its photos' stages: the most pressing first. */
export function standing(stages: Stage[]): string {
  const count = (stage: Stage) => stages.filter((one) => one === stage).length
  if (!stages.length) return 'no photos yet'
  if (count('returned')) return `${count('returned')} returned by the desk`
  if (count('accepted') === stages.length) return 'all accepted'
  if (count('handed_over')) return `desk looks at ${count('handed_over')}`
  if (count('checked')) return `${count('checked')} ready to hand over`
  if (count('bench')) return 'on the bench'
  return count('accepted') ? `${count('waiting')} still waiting` : 'waiting'
}
