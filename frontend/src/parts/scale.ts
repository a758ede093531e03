import type { Schemas } from '../api/client'

type RulerTrait = Schemas['ShownRuler']

/** How a ruler's values lie along it: 0 is the left end, 1 the right end. */
export interface Scale {
  toPlace(value: number): number
  toValue(place: number): number
}

export function linear(low: number, high: number): Scale {
  return {
    toPlace: (value) => (value - low) / (high - low),
    toValue: (place) => low + place * (high - low),
  }
}

/** Even in one over the value: kelvin in mired (millionths of 1/K), where equal steps look equal. */
export function reciprocal(low: number, high: number): Scale {
  const from = 1e6 / low
  const to = 1e6 / high
  return {
    toPlace: (value) => (1e6 / value - from) / (to - from),
    toValue: (place) => 1e6 / (from + place * (to - from)),
  }
}

export function logarithmic(low: number, high: number): Scale {
  return {
    toPlace: (value) => Math.log(value / low) / Math.log(high / low),
    toValue: (place) => low * (high / low) ** place,
  }
}

const SCALES = { linear, reciprocal, logarithmic }

export function scaleOf({ scale, low, high }: RulerTrait): Scale {
  return SCALES[scale](low, high)
}

/** Places after the point that a ruler's steps need. */
export function digitsOf({ step }: RulerTrait): number {
  return Math.max(0, Math.ceil(-Math.log10(step) - 1e-9))
}

/** A number between the ends of a ruler, in whole steps from where it rests. */
export function stepped({ low, high, rest, step }: RulerTrait, shown: number): number {
  const whole = Math.round((shown - rest) / step) * step + rest
  return clamp(Number(whole.toFixed(6)), low, high)
}

/** The parameter's own value of what a ruler shows, and the other way round. */
export function valueOf({ times, plus }: RulerTrait, shown: number): number {
  return Number(((shown - plus) / times).toFixed(6))
}
export function shownOf({ times, plus }: RulerTrait, value: number): number {
  return Number((value * times + plus).toFixed(6))
}

/** What a ruler shows of a step's or an item's parameters; nothing where they do not say. */
export function shownIn(ruler: RulerTrait, params: Record<string, unknown> | undefined): number | undefined {
  const value = params?.[ruler.param]
  return typeof value === 'number' ? shownOf(ruler, value) : undefined
}

export function clamp(value: number, low: number, high: number): number {
  return Math.min(Math.max(value, low), high)
}
