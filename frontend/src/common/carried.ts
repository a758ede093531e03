const files = new Map<string, File[]>()

/** Files on their way from one screen to another: dropped on the board, brought by the ticket that was made for them. */
export const carried = {
  give: (ticket: string, list: File[]) => void files.set(ticket, list),
  take(ticket: string): File[] {
    const list = files.get(ticket) ?? []
    files.delete(ticket)
    return list
  },
}
