const day = new Intl.DateTimeFormat('en-GB', { weekday: 'short', day: 'numeric', month: 'short' })
const time = new Intl.DateTimeFormat('en-GB', { hour: '2-digit', minute: '2-digit' })

/** When a ticket is due, as a person says it. */
export function dueText(due: string, now = new Date()): string {
  const at = new Date(due)
  const days = Math.round((midnight(at) - midnight(now)) / 86_400_000)
  if (days === 0) return `today ${time.format(at)}`
  if (days === 1) return `tomorrow ${time.format(at)}`
  return day.format(at)
}

export function isPressing(due: string, now = new Date()): boolean {
  return midnight(new Date(due)) <= midnight(now)
}

function midnight(date: Date): number {
  return new Date(date.getFullYear(), date.getMonth(), date.getDate()).getTime()
}

export function clock(at: string): string {
  return time.format(new Date(at))
}

/** When something happened: the time for today, else the day too. */
export function moment(at: string, now = new Date()): string {
  const date = new Date(at)
  return midnight(date) === midnight(now) ? time.format(date) : `${date.getDate()}.${date.getMonth() + 1}. ${time.format(date)}`
}
