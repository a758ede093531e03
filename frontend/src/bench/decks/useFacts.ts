import { reactive, watch } from 'vue'

import { theBench } from '../useBench'

type Name = 'title' | 'creator' | 'caption' | 'keywords' | 'credit' | 'copyright'

/** What goes with a delivery in words, and how long each may be. */
const FIELDS: { name: Name; wide: boolean; most: number; hint?: string }[] = [
  { name: 'title', wide: false, most: 120 },
  { name: 'creator', wide: false, most: 200 },
  { name: 'caption', wide: true, most: 2000 },
  { name: 'keywords', wide: true, most: 2000, hint: 'with commas between' },
  { name: 'credit', wide: false, most: 200 },
  { name: 'copyright', wide: false, most: 300 },
]

/** The words of the open photo as they are typed; kept when a field is left. */
export function useFacts() {
  const { ledger, round } = theBench()
  const form = reactive<Record<Name, string>>({ title: '', creator: '', caption: '', keywords: '', credit: '', copyright: '' })
  let known = { ...form }

  watch(
    () => ledger.page?.photo,
    (photo) => {
      if (!photo) return
      const { creator, caption, credit, copyright, keywords } = photo.facts
      const fresh = { title: photo.title, creator, caption, credit, copyright, keywords: keywords.join(', ') }
      // what was typed since and is not saved yet stays
      for (const field of Object.keys(fresh) as Name[]) if (form[field] === known[field]) form[field] = fresh[field]
      known = fresh
    },
    { immediate: true },
  )

  async function keep() {
    const { title, keywords, ...rest } = form
    const words = keywords.split(',').map((word) => word.trim()).filter(Boolean)
    await round.sayFacts(title.trim() || 'untitled', { ...rest, keywords: words })
  }
  return { form, fields: FIELDS, keep }
}
