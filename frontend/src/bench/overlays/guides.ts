import type { Rect } from '../geometry'

export const GUIDES = ['thirds', 'quarters', 'golden', 'diagonals', 'none'] as const
export type Guide = (typeof GUIDES)[number]

const GOLDEN = (3 - Math.sqrt(5)) / 2
const PARTS: Record<Guide, number[]> = { thirds: [1 / 3, 2 / 3], quarters: [1 / 4, 1 / 2, 3 / 4], golden: [GOLDEN, 1 - GOLDEN], diagonals: [], none: [] }

/** The path of a guide's lines inside a crop as it is shown. */
export function guideLines(guide: Guide, { left, top, width, height }: Rect): string {
  if (guide === 'diagonals') {
    // from each corner at 45°, and corner to corner
    const reach = Math.min(width, height)
    return `M${left} ${top}l${width} ${height}M${left + width} ${top}l${-width} ${height}M${left} ${top}l${reach} ${reach}M${left + width} ${top}l${-reach} ${reach}M${left} ${top + height}l${reach} ${-reach}M${left + width} ${top + height}l${-reach} ${-reach}`
  }
  return PARTS[guide].map((part) => `M${left + part * width} ${top}v${height}M${left} ${top + part * height}h${width}`).join('')
}
