import type { Colour } from '../../types'

/** Red, green and blue to 255 with anything between them, or #rrggbb, or #rgb; null for what is no colour. */
export function colourOf(text: string): Colour | null {
  const hex = /^\s*#?([0-9a-f]{6}|[0-9a-f]{3})\s*$/i.exec(text)?.[1]
  const digits = hex?.length === 3 && text.includes('#') ? hex.replace(/./g, '$&$&') : hex
  const values = digits?.length === 6 ? digits.match(/../g)?.map((two) => parseInt(two, 16)) : text.match(/\d+/g)?.map(Number)
  const [r, g, b] = values ?? []
  if (values?.length !== 3 || r === undefined || g === undefined || b === undefined || Math.max(r, g, b) > 255) return null
  return [r, g, b]
}
