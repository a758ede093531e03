import { computed } from 'vue'

import type { Step } from '../../../api/client'
import { valueOf } from '../../../parts/scale'
import type { EditorTrait, RulerTrait } from '../../rooms/useDecks'
import { theBench } from '../../useBench'

type Nested = Record<string, unknown>

/** A parameter that is nothing, or has numbers of its own: as it is saved, as it is now, and the steps that change it. */
export function useNested(props: { op: string; editor: EditorTrait }) {
  const { ledger } = theBench()
  const nestedOf = (step: Step | null | undefined) => (step?.params?.[props.editor.param] as Nested | null | undefined) ?? null
  const saved = computed(() => nestedOf(ledger.stepOf(props.op)))
  const now = computed(() => (ledger.draft?.op === props.op ? nestedOf(ledger.draft) : saved.value))

  const stepTo = (to: Nested | null) => ledger.stepFor(props.op, { [props.editor.param]: to })
  const withNumber = (ruler: RulerTrait, shown: number) => stepTo({ ...saved.value, [ruler.param]: valueOf(ruler, shown) })
  return { saved, now, stepTo, withNumber }
}
