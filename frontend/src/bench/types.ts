import type { Schemas } from '../api/client'

export type StationName = 'frame' | 'balance' | 'clean' | 'areas' | 'pieces' | 'finish' | 'check'
/** What the hand holds: one of the page's own tools, or an operation by its name. */
export type Tool = 'crop' | 'line' | 'corners' | 'look' | 'neutral' | 'hue' | 'note' | (string & {})
export type LampName = NonNullable<Schemas['Look']['lamp']>
export type Proof = 'none' | 'wipe' | 'pair'
export type StepView = Schemas['StepView']
export type FrameHead = Schemas['FrameHead']
export type Stroke = Schemas['Stroke']

/** A frame that came, with what was said of it. */
export interface Frame { head: FrameHead; picture: ImageBitmap }
export interface Place { x: number; y: number }
/** A square that is picked, source pixels. */
export interface Picked extends Place { size: number }
export type Colour = [number, number, number]
