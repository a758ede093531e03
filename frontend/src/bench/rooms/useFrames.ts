import { reactive, ref, shallowRef } from 'vue'

import type { Schemas } from '../../api/client'
import type { Frame, FrameHead } from '../types'
import { useSocket } from './useSocket'

interface Around {
  photo: string
  sayProblem: (sentence: string, hint: string) => void
  /** The result has another size or angle than the frame before. */
  grown: () => void
}

/** What comes over the socket: frames, how the slip's lines stand, what is being made. */
export function useFrames({ photo, sayProblem, grown }: Around) {
  const head = shallowRef<FrameHead | null>(null)
  const picture = shallowRef<ImageBitmap | null>(null)
  /** The photo as it came, for wipe and pair. */
  const beside = shallowRef<Frame | null>(null)
  const verdicts = shallowRef<Schemas['Verdict'][]>([])
  const neutrals = shallowRef<Schemas['NeutralMark'][]>([])
  const histogram = shallowRef<number[][]>([])
  /** Repairs that are still being made, and how far each is. */
  const busy = ref<Record<string, number>>({})
  /** The colour under the hand, as it is shown. */
  const underCursor = ref<[number, number, number] | null>(null)

  const socket = useSocket(photo, {
    frame(next) {
      if (next.head.beside && next.head.original) {
        beside.value?.picture.close()
        beside.value = next
        return
      }
      const other = !head.value || shapeOf(head.value) !== shapeOf(next.head)
      head.value = next.head
      picture.value?.close()
      picture.value = next.picture
      if (other) grown()
    },
    slip(said) {
      verdicts.value = said.verdicts
      neutrals.value = said.neutrals
      histogram.value = said.histogram
    },
    busy(steps) {
      busy.value = steps
    },
    problem: sayProblem,
  })

  function forgetBeside() {
    beside.value?.picture.close()
    beside.value = null
  }

  return reactive({
    head, picture, beside, verdicts, neutrals, histogram, busy, underCursor,
    connected: socket.connected, measureAgain: socket.measureAgain, look: socket.look, forgetBeside,
  })
}

export type FramesRoom = ReturnType<typeof useFrames>

function shapeOf({ size, angle, turned }: FrameHead): string {
  return [...size, ...turned, angle].join(' ')
}
