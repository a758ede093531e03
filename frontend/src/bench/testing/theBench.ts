/** In place of `useBench` in tests of single parts: one bench for all of them, as they share their modules. */
export const bench: Record<string, unknown> = {}
export const theBench = () => bench
export const provideBench = (other: object) => void Object.assign(bench, other)
