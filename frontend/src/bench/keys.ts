import { capital } from '../common/words'
import { OUTLINES } from './clean/useClean'
import { LAMPS } from './lamps'
import type { Bench } from './useBench'

/** A key of the bench: what it does, and how the list of keys says it. */
export interface Key {
  key: string
  group: Group
  says: string
  act: (bench: Bench, shift: boolean) => void
  /** What ends when the key is let go. */
  release?: (bench: Bench) => void
  /** Only then; else the key is free for another meaning of the same thing. */
  when?: (bench: Bench) => boolean
  /** With Control, or Command. */
  control?: boolean
}
export type Group = 'Looking' | 'Tools' | 'Specks' | 'Walkover'

/** The keys of Clean's methods. One that is not here is taken up by its button. */
export const METHOD_KEYS: Record<string, string> = {
  dab: 'd', heal: 'h', clone: 'c', patch: 'p', regrow: 'y', calm: 'a', unthread: 'u', relocate: 'j', nudge: 'i', restore: 'z', fence: 'f', avoid: 't',
}

const reviewing = (bench: Bench) => Boolean(bench.clean.specks.spots)
const unfinished = ({ tools, painting, clean }: Bench) =>
  tools.station === 'clean' && Boolean(painting.clicks.length || clean.gathered.length || clean.hint)
const walking = (bench: Bench) => bench.walkover.on
const closer = (scale: number) => (bench: Bench) => bench.view.zoom(scale, bench.view.cursor?.x, bench.view.cursor?.y)
const inSphere = ({ view }: Bench) => view.around.on
/** The six directions of a panorama, by keys that lie like them. */
const DIRECTIONS: [string, string, number, number][] = [
  ['5', 'ahead', 0, 0], ['4', 'left', -90, 0], ['6', 'right', 90, 0], ['7', 'behind', 180, 0], ['8', 'up', 0, 90], ['9', 'down', 0, -90],
]

function nextOutlines({ clean }: Bench) {
  clean.outlines = OUTLINES[(OUTLINES.indexOf(clean.outlines) + 1) % OUTLINES.length] ?? 'hover'
}
/** The clone's source is what lies under the cursor. */
function setSource({ view, tools, clean }: Bench) {
  const at = view.cursor
  if (!at) return
  if (tools.tool !== 'clone') tools.takeUp('clean', 'clone')
  clean.cloning.source = view.sourceAt(at.x, at.y)
  clean.cloning.offset = null
}
function putDown({ painting, tools }: Bench) {
  painting.cancel()
  tools.putDown()
}
function soften({ clean }: Bench, by: number) {
  clean.setTip('hardness', Math.round(10 * ((clean.brush.hardness ?? 0) - by)) / 10)
}
export function resizeTool({ tools, clean }: Bench, by: number) {
  if (tools.picking) tools.resizePick(by)
  else clean.setTip('size', (clean.brush.size ?? 0) * by)
}

/**
 * Every key of the bench, in the order in which they are tried: a walkover and a review take their keys first. What a
 * control takes for itself (arrows, Enter on a ruler) never comes here.
 */
export const KEYS: Key[] = [
  { key: ' ', group: 'Walkover', says: 'next window', when: walking, act: ({ walkover }) => walkover.go(1) },
  { key: 'backspace', group: 'Walkover', says: 'the window before', when: walking, act: ({ walkover }) => walkover.go(-1) },
  { key: 'enter', group: 'Walkover', says: 'next window', when: walking, act: ({ walkover }) => walkover.go(1) },
  { key: 'escape', group: 'Walkover', says: 'stop', when: walking, act: ({ walkover }) => walkover.stop() },
  { key: ' ', group: 'Specks', says: 'accept', when: reviewing, act: ({ clean }) => clean.specks.judge(true) },
  { key: '-', group: 'Specks', says: 'refuse', when: reviewing, act: ({ clean }) => clean.specks.judge(false) },
  { key: 'arrowright', group: 'Specks', says: 'the next', when: reviewing, act: ({ clean }) => clean.specks.turn(1) },
  { key: 'arrowleft', group: 'Specks', says: 'the one before', when: reviewing, act: ({ clean }) => clean.specks.turn(-1) },
  { key: 'enter', group: 'Specks', says: 'take out all but the refused', when: reviewing, act: ({ clean }) => void clean.specks.take(true) },
  { key: 'escape', group: 'Specks', says: 'leave them', when: reviewing, act: ({ clean }) => clean.specks.leave() },

  { key: 'z', control: true, group: 'Tools', says: 'undo (Shift: redo)', act: ({ ledger }, shift) => void ledger.travel(shift ? 'redo' : 'undo') },
  {
    key: ' ', group: 'Looking', says: 'pan by dragging, while held (or middle button)', when: ({ view }) => Boolean(view.cursor),
    act: ({ view }) => (view.spaced = true), release: ({ view }) => (view.spaced = false),
  },
  { key: '0', group: 'Looking', says: 'fit', act: ({ view }) => view.fit() },
  { key: '1', group: 'Looking', says: '100 %, at the cursor', act: closer(1) },
  { key: '2', group: 'Looking', says: '200 %', act: closer(2) },
  {
    key: 'backspace', group: 'Looking', says: 'look around, or the flat picture', when: ({ view }) => view.around.sphere !== null,
    act: ({ view }) => view.around.toggle(),
  },
  ...DIRECTIONS.map(([key, says, heading, pitch]): Key => ({
    key, group: 'Looking', says: `look ${says}`, when: inSphere, act: ({ view }) => view.around.set({ heading, pitch }, true),
  })),
  { key: '3', group: 'Looking', says: "buyer's size", act: (bench) => bench.judging(() => bench.view.buyersSize(bench.ledger.page?.long_side)) },
  {
    key: 'o', group: 'Looking', says: 'original, while held',
    act: ({ proof }) => (proof.original = true), release: ({ proof }) => (proof.original = false),
  },
  { key: 'w', group: 'Looking', says: 'wipe', act: (bench) => bench.judging(() => bench.proof.prove('wipe')) },
  { key: 'b', group: 'Looking', says: 'pair', act: (bench) => bench.judging(() => bench.proof.prove('pair')) },
  { key: 'pageup', group: 'Looking', says: 'the photo before', act: ({ go }) => go(-1) },
  { key: 'pagedown', group: 'Looking', says: 'the next photo', act: ({ go }) => go(1) },
  { key: 'k', group: 'Looking', says: 'walkover', act: ({ walkover }) => walkover.toggle() },
  {
    key: '/', group: 'Looking', says: 'an area’s cover hidden, while held', when: ({ tools }) => tools.station === 'areas',
    act: ({ areas }) => (areas.shown = false), release: ({ areas }) => (areas.shown = true),
  },
  {
    key: 'h', group: 'Looking', says: 'the piece half seen through, while held',
    when: ({ pieces, tools }) => tools.station === 'pieces' && Boolean(pieces.piece),
    act: ({ pieces }) => pieces.half(true), release: ({ pieces }) => pieces.half(false),
  },
  ...LAMPS.map(({ name, key }): Key => ({ key, group: 'Looking', says: `${name} lamp`, act: ({ proof }) => proof.light(name) })),
  ...Object.entries(METHOD_KEYS).map(([name, key]): Key => ({ key, group: 'Tools', says: name, act: ({ tools }) => tools.takeUp('clean', name) })),
  {
    key: 'enter', group: 'Tools', says: 'end a line or outline; run what was gathered; take the hint', when: unfinished,
    act: ({ painting, clean }) => {
      if (painting.clicks.length) void painting.finish()
      else if (clean.gathered.length) void clean.run()
      else void clean.takeHint()
    },
  },
  { key: 'n', group: 'Tools', says: 'pick neutral', act: ({ tools }) => tools.pickNeutral() },
  { key: 'g', group: 'Tools', says: 'pick this colour', act: ({ tools }) => tools.pickHue() },
  { key: 'l', group: 'Tools', says: 'level by a line', act: ({ tools }) => tools.takeUp('frame', 'line') },
  { key: 's', group: 'Tools', says: 'clone from here', act: setSource },
  { key: ',', group: 'Tools', says: 'smaller', act: (bench) => resizeTool(bench, 1 / 1.15) },
  { key: '.', group: 'Tools', says: 'larger', act: (bench) => resizeTool(bench, 1.15) },
  { key: '<', group: 'Tools', says: 'softer', act: (bench) => soften(bench, 0.1) },
  { key: '>', group: 'Tools', says: 'crisper', act: (bench) => soften(bench, -0.1) },
  { key: ';', group: 'Tools', says: `outlines: ${OUTLINES.join(', ')}`, act: nextOutlines },
  {
    key: 'delete', group: 'Tools', says: 'remove the repair taken up', when: ({ tools }) => Boolean(tools.selected),
    act: ({ tools, ledger }) => void ledger.remove(tools.selected ?? ''),
  },
  { key: 'escape', group: 'Tools', says: 'put the tool down', act: putDown },
]

/** What is no key of the table, because a gesture or a control of its own takes it. */
export const GESTURES: { group: string; keys: string; says: string }[] = [
  { group: 'Looking', keys: 'wheel', says: 'closer, at the cursor' },
  { group: 'Looking', keys: 'arrows, + −', says: 'pan, closer and back, on the picture' },
  { group: 'Looking', keys: '?', says: 'these keys' },
  { group: 'Tools', keys: 'Shift + click', says: 'straight on from the last stroke' },
  { group: 'Tools', keys: 'Shift + wheel', says: 'size (right button + drag: size and softness)' },
  { group: 'Controls', keys: '← →', says: 'one step on a ruler; Shift: ten' },
  { group: 'Controls', keys: 'Enter', says: 'type the number' },
  { group: 'Controls', keys: 'Home', says: 'back to rest (double-click)' },
  { group: 'Controls', keys: 'End', says: 'take what is proposed' },
  { group: 'Controls', keys: 'arrows', says: 'move the crop, a point of the curve' },
  { group: 'Controls', keys: '+ −', says: 'grow, shrink the crop' },
  { group: 'Controls', keys: 'Alt + ↑ ↓', says: 'move a stub in its station' },
  { group: 'Controls', keys: 'Alt + drag', says: 'the picture under the crop' },
  { group: 'Controls', keys: 'Tab', says: 'from control to control' },
]

const NAMES: Record<string, string> = { ' ': 'Space', pageup: 'Page Up', pagedown: 'Page Down', arrowright: '→', arrowleft: '←', '-': '−' }

/** How a key is written in a list. */
export function written({ key, control }: Pick<Key, 'key' | 'control'>): string {
  const name = NAMES[key] ?? capital(key)
  return control ? `Ctrl ${name}` : name
}
