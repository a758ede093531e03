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

/** Kelvin spaced evenly in mired (millionths of 1/K), where equal steps look equal. */
export function mired(low: number, high: number): Scale {
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

export function clamp(value: number, low: number, high: number): number {
  return Math.min(Math.max(value, low), high)
}
