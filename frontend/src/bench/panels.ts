/** Balance shows its rulers in groups; which operations each works on. */
export const PANELS: Record<string, string[]> = {
  Tone: ['white_balance', 'exposure', 'contrast', 'highlights_shadows', 'end_points', 'saturation', 'gentle_saturation', 'local_contrast', 'haze'],
  Curve: ['curve'],
  Hues: ['hue_bands'],
  Mono: ['black_white', 'toning'],
  Scan: ['overlay_self', 'soften'],
  Source: ['merge', 'darker', 'fringes'],
}

export function panelOf(op: string): string | undefined {
  return Object.keys(PANELS).find((name) => PANELS[name]?.includes(op))
}
