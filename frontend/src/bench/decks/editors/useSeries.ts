import { computed, ref } from 'vue'

import { theBench } from '../../useBench'

export interface Frame { picture: string; title: string; rows?: number[][] }

/** The other photos of the ticket that may be frames of the same series: those of the same size. */
export function useSeries() {
  const { ledger } = theBench()
  const busy = ref(false)
  const others = computed(() => {
    const page = ledger.page
    const own = page?.photo
    return page?.siblings.filter((one) => one.id !== own?.id && one.width === own?.width && one.height === own?.height) ?? []
  })
  /** Frames that are laid over are kept as they lie. */
  function frameOf(picture: string, known: Frame[]): Frame {
    const title = others.value.find((photo) => photo.blob === picture)?.title ?? ''
    return known.find((frame) => frame.picture === picture) ?? { picture, title }
  }
  async function work(task: () => Promise<unknown>) {
    busy.value = true
    await task()
    busy.value = false
  }
  return { others, busy, frameOf, work }
}
