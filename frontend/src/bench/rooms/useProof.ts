import { reactive, ref } from 'vue'

import { useSession } from '../../common/useSession'
import type { LampName, Proof } from '../types'

/** How the picture is judged: lamps, the photo as it came, wipe and pair, the grey around it. Nothing of it is an edit. */
export function useProof() {
  const lamp = ref<LampName | null>(null)
  /** The photo as it came, in place of the result, while held. */
  const original = ref(false)
  const way = ref<Proof>('none')
  /** Where the wipe line stands, as a share of the stage's width. */
  const wipe = ref(0.5)
  const surround = ref(useSession().person.value?.likes?.surround ?? 0x77)

  function light(name: LampName) {
    lamp.value = lamp.value === name ? null : name
  }
  function prove(name: Proof) {
    way.value = way.value === name ? 'none' : name
  }
  return reactive({ lamp, original, way, wipe, surround, light, prove })
}

export type ProofRoom = ReturnType<typeof useProof>
