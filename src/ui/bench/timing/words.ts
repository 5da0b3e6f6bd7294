/** How far off the grid something is, in words. */
export function lateText(ms: number): string {
  if (Math.abs(ms) < 0.05) return 'on the grid'
  return `${Math.abs(ms).toFixed(1)} ms ${ms > 0 ? 'late' : 'early'}`
}

/** How far a gap is stretched. */
export const gapText = (stretch: number) => `× ${stretch.toFixed(2)}`
