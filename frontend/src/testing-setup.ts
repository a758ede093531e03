import { disableAutoUnmount, enableAutoUnmount } from '@vue/test-utils'
import { afterEach } from 'vitest'

import { useSession } from './common/useSession'

/** What a browser has and the tests' stand-in lacks. */
window.matchMedia = (media: string) =>
  ({ media, matches: false, addEventListener: () => undefined, removeEventListener: () => undefined }) as unknown as MediaQueryList
window.ResizeObserver = class {
  observe() {}
  unobserve() {}
  disconnect() {}
}

// the files of tests share a page: nothing that one mounted, and nobody who signed in, is left for the next
disableAutoUnmount()
enableAutoUnmount(afterEach)
afterEach(() => {
  useSession().person.value = null
})
