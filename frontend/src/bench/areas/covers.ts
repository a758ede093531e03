import type { Schemas, Step } from '../../api/client'

export type Cover = Schemas['Cover']
export type Part = Schemas['CoverPart']
export type Shape = Part['shape']
export type Join = NonNullable<Part['mode']>
export type Kind = NonNullable<Shape['kind']>

/** What a part is called in the sentence. */
const NAMES: Record<Kind, string> = {
  strokes: 'strokes', outline: 'outline', edged: 'strokes by edges', straight: 'straight gradient', round: 'round gradient', tones: 'tones',
  colours: 'colours', subject: 'subject', sky: 'sky', bitmap: 'stored picture',
}
export const JOINS: Join[] = ['add', 'subtract', 'intersect']
const WORDS: Record<Join, string> = { add: 'and', subtract: 'without', intersect: 'only in' }
const FIRST: Record<Join, string> = { add: '', subtract: 'all without', intersect: 'all, only in' }

/** The word before a part; the first that adds has none. */
export function joinWord(mode: Join | undefined, first: boolean): string {
  return (first ? FIRST : WORDS)[mode ?? 'add']
}

/** A part as a word of the sentence, with the numbers that it is known by. */
export function wordOf(part: Part): string {
  const { shape } = part
  const numbers = shape.kind === 'tones' ? ` ${Math.round(shape.low ?? 0)}–${Math.round(shape.high ?? 100)} %` : ''
  const take = shape.kind === 'subject' && shape.take ? `, take ${shape.take + 1}` : ''
  const soft = part.feather ? `, softened ${Math.round(part.feather)} px` : ''
  return `${part.invert ? 'not ' : ''}${NAMES[shape.kind ?? 'strokes']}${numbers}${take}${soft}`
}

export function coverOf(area: Step | null | undefined): Cover {
  return (area?.params?.cover as Cover | undefined) ?? { parts: [] }
}
export function partsOf(area: Step | null | undefined): Part[] {
  return coverOf(area).parts ?? []
}
export function heldBy(area: Step | null | undefined): Step[] {
  return (area?.params?.steps as Step[] | undefined) ?? []
}
