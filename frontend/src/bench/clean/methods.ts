import type { Tool } from '../useBench'

/** How a place is given: a click, a painted stroke, an outline, or a line of clicks. */
export type Gesture = 'click' | 'stroke' | 'outline' | 'line'
export type RulerName = 'flow' | 'spacing' | 'roundness' | 'angle' | 'feather'

export interface Method {
  name: Tool & string
  key: string
  gesture: Gesture
  says: string
  /** Rulers of the tip beside size, softness and strength. */
  rulers: RulerName[]
}

export const METHODS: Method[] = [
  { name: 'dab', key: 'D', gesture: 'click', rulers: [], says: 'Click a small blemish. It is replaced from what lies around it.' },
  { name: 'heal', key: 'H', gesture: 'stroke', rulers: [], says: 'Paint along a mark. Drag the dotted source to take its texture from elsewhere.' },
  { name: 'clone', key: 'C', gesture: 'stroke', rulers: ['flow', 'spacing', 'roundness', 'angle'], says: 'Press S over the source, then paint: an exact copy, for crisp edges.' },
  { name: 'patch', key: 'P', gesture: 'outline', rulers: ['feather'], says: 'Draw round a place, then drag it to where the texture is right.' },
  { name: 'regrow', key: 'Y', gesture: 'stroke', rulers: [], says: 'Paint what should go. It is filled from the rest, in takes to choose from.' },
  { name: 'calm', key: 'A', gesture: 'stroke', rulers: [], says: 'Paint on sky, sweep or blur: filled without texture, with grain as around it.' },
  { name: 'unthread', key: 'U', gesture: 'line', rulers: [], says: 'Click along a wire or hair; Enter or a double-click ends. What it crosses runs on.' },
  { name: 'relocate', key: 'J', gesture: 'outline', rulers: ['feather'], says: 'Draw round a subject, then drag it to its new place.' },
  { name: 'nudge', key: 'I', gesture: 'stroke', rulers: [], says: 'Push pixels along a short stroke, to straighten what was bent.' },
  { name: 'restore', key: 'Z', gesture: 'stroke', rulers: ['flow', 'spacing'], says: 'Paint the photo back as it was before any repair.' },
  { name: 'grain', key: '', gesture: 'stroke', rulers: [], says: 'Paint over a place that looks airbrushed: it gets the grain it lacks.' },
  { name: 'redeye', key: '', gesture: 'click', rulers: [], says: 'Click an eye. Red goes from its pupil, the highlight stays.' },
]

/** What repairs keep to; they hold for the steps after them. */
export const LIMITS: Method[] = [
  { name: 'fence', key: 'F', gesture: 'line', rulers: [], says: 'Click along an edge; Enter ends. Nothing that comes later crosses it.' },
  { name: 'avoid', key: 'T', gesture: 'stroke', rulers: [], says: 'Paint what later repairs must not copy from.' },
]

export function methodOf(name: string): Method | undefined {
  return [...METHODS, ...LIMITS].find((method) => method.name === name)
}

/** Methods that one place can be switched between; each keeps what it shares with the last. */
export const SWITCHABLE = ['heal', 'clone', 'patch', 'regrow', 'calm', 'grain', 'restore']
