import type { LampName } from './types'

/** The lamps in the order of the bar, with their keys and what each shows. */
export const LAMPS: { name: LampName; key: string; says: string }[] = [
  { name: 'cast', key: 'q', says: 'cast lamp: colour pushed to the top' },
  { name: 'speck', key: 'e', says: 'speck lamp: fine contrast only' },
  { name: 'clip', key: 'x', says: 'clip lamp: red is white without texture, blue is black' },
  { name: 'repeat', key: 'r', says: 'repeat lamp: lines link texture that stands twice' },
  { name: 'mask', key: 'm', says: 'mask lamp: what was repaired is lit' },
  { name: 'level', key: 'v', says: 'level lamp: true lines thin, hanging ones thick' },
]
