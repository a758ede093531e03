import { reactive, shallowRef } from 'vue'

import { api, taken, type Schemas } from '../../api/client'

export type Decks = Schemas['Decks']
export type Operation = Schemas['OperationView']
export type Control = Operation['controls'][number]
export type RulerTrait = Schemas['ShownRuler']
export type EditorTrait = Schemas['ShownEditor']

/** What the decks are drawn from: every operation with its controls, as the server declares them. */
export function useDecks() {
  const all = shallowRef<Decks | null>(null)

  async function load() {
    all.value = taken(await api.GET('/api/decks')) as Decks
  }

  function of(op: string): Operation | undefined {
    return all.value?.operations[op]
  }

  /** What an operation is called amid other words. */
  function called(op: string): string {
    return of(op)?.title.toLowerCase() ?? op
  }

  /** A station's operations, in the order of the deck. */
  function inStation(...stations: string[]): { name: string; operation: Operation }[] {
    return Object.entries(all.value?.operations ?? {})
      .filter(([, operation]) => stations.includes(operation.station))
      .sort(([, a], [, b]) => stations.indexOf(a.station) - stations.indexOf(b.station) || a.rank - b.rank)
      .map(([name, operation]) => ({ name, operation }))
  }

  /** A ruler of an operation by its parameter. */
  function ruler(op: string, param: string): RulerTrait | undefined {
    return of(op)?.controls.find((control): control is RulerTrait => control.kind === 'ruler' && control.param === param)
  }

  /** One of the rulers of a stroke's tip. */
  function tip(param: string): RulerTrait | undefined {
    return all.value?.tip.find((ruler) => ruler.param === param)
  }

  /** Whether a stroke of a method has this number of the tip; size and softness every one has. */
  function hasTip(op: string, param: string): boolean {
    return param === 'size' || param === 'hardness' || Boolean(of(op)?.tip.includes(param))
  }

  return reactive({ all, load, of, called, inStation, ruler, tip, hasTip })
}

export type DecksRoom = ReturnType<typeof useDecks>
