import type { Analysis } from './analysis'

/**
 * The usual time between two attacks in ms, or undefined where there are too few to speak of one: the middle of the gaps,
 * each counted by its own length, so that a roll inside a slow passage does not speak for the passage.
 */
export function usualGapMs(analysis: Analysis, sampleRate: number): number | undefined {
  const frames = (analysis.attacks ?? []).map((attack) => attack.frame)
  if (frames.length < 3) return undefined
  const gaps = frames.slice(1).map((frame, i) => frame - (frames[i] as number))
  gaps.sort((a, b) => a - b)
  const total = gaps.reduce((sum, gap) => sum + gap, 0)
  let passed = 0
  for (const gap of gaps) {
    passed += gap
    if (2 * passed >= total) return (1000 * gap) / sampleRate
  }
  return undefined
}

/** share of a source that has to have a pitch for it to count as one line */
const LEAST_PITCHED = 0.5

/**
 * The longest period of a source that is one line, in ms: that of the pitch below which a twentieth of it lies. Undefined
 * where too little of the sound has a pitch, or nobody looked.
 */
export function longestPeriodMs(analysis: Analysis): number | undefined {
  const { pitch } = analysis
  if (!pitch) return undefined
  const pitched = [...pitch.hz].filter((hz) => hz > 0).sort((a, b) => a - b)
  if (pitched.length < 5 || pitched.length < LEAST_PITCHED * pitch.hz.length) return undefined
  return 1000 / (pitched[Math.floor(pitched.length / 20)] as number)
}

/** A setting that follows the sound: `value` kept within `least…most`, whole; `otherwise` where the sound says nothing. */
export function pickWithin(value: number | undefined, least: number, most: number, otherwise: number): number {
  return Math.round(Math.min(most, Math.max(least, value ?? otherwise)))
}
