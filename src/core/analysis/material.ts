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
