/** A name for something new that no other has. */
export function newId(): string {
  return crypto.getRandomValues(new Uint32Array(2)).reduce((text, part) => text + part.toString(16).padStart(8, '0'), '')
}
