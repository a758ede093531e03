// crypto.randomUUID is there only where the page is served by HTTPS, or to this machine: a studio's own network may have neither
const drawn = (bytes: number) =>
  Array.from(crypto.getRandomValues(new Uint8Array(bytes)), (one) => one.toString(16).padStart(2, '0')).join('')

/** A name for something new that no other has. */
export function newId(): string {
  return drawn(8)
}

/** The same as a UUID, version 4 (RFC 9562). */
export function newUuid(): string {
  const text = drawn(16)
  const variant = '89ab'[Number.parseInt(text[16] ?? '0', 16) & 3]
  return [text.slice(0, 8), text.slice(8, 12), `4${text.slice(13, 16)}`, `${variant}${text.slice(17, 20)}`, text.slice(20)].join('-')
}
