import type { Rect } from '../geometry'

export const GUIDES = ['thirds', 'quarters', 'golden', 'diagonals', 'none'] as const
export type Guide = (typeof GUIDES)[number]

const GOLDEN = (3 - Math.sqrt(5)) / 2
const PARTS: Record<Guide, number[]> = {
  thirds: [1 / 3, 2 / 3], quarters: [1 / 4, 1 / 2, 3 / 4], golden: [GOLDEN, 1 - GOLDEN], diagonals: [], none: [],
}

/** The path of a guide's lines inside a crop as it is shown. */
export function guideLines(guide: Guide, { left, top, width, height }: Rect): string {
  if (guide === 'diagonals') {
    // from each corner at 45°, and corner to corner
    const reach = Math.min(width, height)
    const [right, bottom] = [left + width, top + height]
    const across = [`M${left} ${top}L${right} ${bottom}`, `M${right} ${top}L${left} ${bottom}`]
    const at45 = [
      `M${left} ${top}l${reach} ${reach}`, `M${right} ${top}l${-reach} ${reach}`,
      `M${left} ${bottom}l${reach} ${-reach}`, `M${right} ${bottom}l${-reach} ${-reach}`,
    ]
    return [...across, ...at45].join('')
  }
  return PARTS[guide].map((part) => `M${left + part * width} ${top}v${height}M${left} ${top + part * height}h${width}`).join('')
}
