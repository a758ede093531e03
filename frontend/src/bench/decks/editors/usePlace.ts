import { computed, onBeforeUnmount } from 'vue'

import type { Picked } from '../../types'
import { theBench } from '../../useBench'

/** A place that an editor asks for in the picture: asked once more, it is not asked any more. */
export function usePlace() {
  const { tools } = theBench()
  const asked = computed(() => tools.place?.item ?? null)

  function ask(item: string, take: (at: Picked) => void) {
    tools.place = asked.value === item ? null : { item, take }
  }
  onBeforeUnmount(() => (tools.place = null))
  return { asked, ask }
}
