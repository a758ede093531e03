/** What a browser has and the tests' stand-in lacks. */
window.matchMedia = (media: string) =>
  ({ media, matches: false, addEventListener: () => undefined, removeEventListener: () => undefined }) as unknown as MediaQueryList
window.ResizeObserver = class {
  observe() {}
  unobserve() {}
  disconnect() {}
}
