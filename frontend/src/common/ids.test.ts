import { expect, it } from 'vitest'

import { newId, newUuid } from './ids'

it.each([
  ['an id', newId, /^[0-9a-f]{16}$/],
  // version 4, variant of RFC 9562
  ['a UUID', newUuid, /^[0-9a-f]{8}-[0-9a-f]{4}-4[0-9a-f]{3}-[89ab][0-9a-f]{3}-[0-9a-f]{12}$/],
])('%s is one that no other has', (_, made, like) => {
  const all = new Set(Array.from({ length: 500 }, made))
  expect(all.size).toBe(500)
  for (const one of all) expect(one).toMatch(like)
})
