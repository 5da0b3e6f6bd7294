import type { ClickTrack } from '../../../engine'

const GAIN = 0.7

/** Clicks for beats, and with `eighths` for what lies half way between them; the last beat's half follows the one before. */
export function clickTrack(frames: readonly number[], bars: readonly boolean[], eighths: boolean): ClickTrack {
  const at: number[] = []
  const kinds: number[] = []
  frames.forEach((frame, i) => {
    at.push(frame)
    kinds.push(bars[i] ? 1 : 0)
    const next = frames[i + 1] ?? frame + (frame - (frames[i - 1] ?? frame))
    if (!eighths || next <= frame) return
    at.push((frame + next) / 2)
    kinds.push(2)
  })
  return { frames: Float64Array.from(at), kinds: Uint8Array.from(kinds), gain: GAIN }
}
