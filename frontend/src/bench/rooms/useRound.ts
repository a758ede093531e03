import { useEventListener, useIntervalFn } from '@vueuse/core'
import { computed, onBeforeUnmount, reactive, ref, watch } from 'vue'

import { api, taken, type Schemas } from '../../api/client'
import { newUuid } from '../../common/ids'
import { tryingWith } from '../../common/trying'
import { useSession } from '../../common/useSession'
import { clamp } from '../../parts/scale'
import type { Point } from '../picture/geometry'
import { useBusy } from './useBusy'
import type { LedgerRoom } from './useLedger'

export type Note = Schemas['Note']

const RENEW = 40_000

interface Around {
  ledger: LedgerRoom
  measureAgain: () => void
  sayError: (error: unknown) => void
}

/** What goes round the photo beside its steps: whose bench it is on, notes, ticks of lines by eye, words that go with it. */
export function useRound({ ledger, measureAgain, sayError }: Around) {
  const path = { photo: ledger.photo }
  const { person } = useSession()
  const notes = ref<Note[]>([])
  /** Where a new note will be pinned, source pixels. */
  const pinAt = ref<Point | null>(null)
  watch(() => ledger.page, (now) => (notes.value = now?.notes ?? []), { immediate: true })

  // the lease
  const own = newUuid()
  const lease = ref<Schemas['Lease'] | null>(null)
  const mine = ref(true)
  const work = useBusy(person.value?.idle_seconds ?? 60)
  async function renew() {
    const { data } = await api.PUT('/api/photos/{photo}/lease', { params: { path }, body: { page: own, busy: work.taken() } })
    if (!data) return
    mine.value = data.mine
    lease.value = data.lease ?? null
  }
  function giveBack() {
    const body = new Blob([JSON.stringify({ page: own, busy: work.taken() })], { type: 'application/json' })
    navigator.sendBeacon(`/api/photos/${ledger.photo}/lease/end`, body)
  }
  void renew()
  useIntervalFn(renew, RENEW)
  useEventListener(window, 'pagehide', giveBack)
  onBeforeUnmount(giveBack)
  const heldBy = computed(() => (mine.value || !lease.value || lease.value.name === person.value?.name ? null : lease.value))

  const trying = tryingWith(sayError)
  const addNote = (text: string) =>
    trying(async () => {
      const size = ledger.page?.photo
      const at = pinAt.value
      const place = at && size?.width && size.height ? { x: share(at[0], size.width), y: share(at[1], size.height) } : {}
      notes.value = taken(await api.POST('/api/photos/{photo}/notes', { params: { path }, body: { text, ...place } }))
      pinAt.value = null
    })
  const noteDone = (note: Note, done: boolean) =>
    trying(async () => {
      notes.value = taken(await api.PUT('/api/photos/{photo}/notes/{note}/done', { params: { path: { ...path, note: note.id } }, body: { done } }))
    })
  const removeNote = (note: Note) =>
    trying(async () => {
      notes.value = taken(await api.DELETE('/api/photos/{photo}/notes/{note}', { params: { path: { ...path, note: note.id } } }))
    })
  const tick = (words: string, ticked: boolean) =>
    trying(async () => {
      taken(await api.PUT('/api/photos/{photo}/ticks', { params: { path }, body: { words, ticked, expected: ledger.revision ?? 0 } }))
      measureAgain()
    })
  /** One after the other: each says all of the words, so an earlier one that came late would undo a later one. */
  let saying: Promise<unknown> = Promise.resolve()
  const sayFacts = (title: string, facts: Schemas['Facts']) => {
    const said = saying.then(() => trying(async () => {
      taken(await api.PUT('/api/photos/{photo}/facts', { params: { path }, body: { title, facts } }))
      if (ledger.page) ledger.page = { ...ledger.page, photo: { ...ledger.page.photo, title, facts } }
      measureAgain()
      return true
    }))
    saying = said
    return said
  }
  return reactive({ notes, pinAt, heldBy, addNote, noteDone, removeNote, tick, sayFacts })
}

export type RoundRoom = ReturnType<typeof useRound>

function share(value: number, whole: number): number {
  return clamp(value / whole, 0, 1)
}
