import type { AudioBlock } from '../audio/block'
import { exp, sinTurns } from '../dsp/portable'

/** The key at which the plain tone sounds as it is. */
export const PLAIN_TONE_KEY = 69
const HZ = 440
const SECONDS = 3
const RATE = 48_000
const PARTIALS = [0.3, 0.12, 0.05, 0.02] as const

/** A plain tone to hear notes by that no sound plays yet: soft partials that sink a little and then stay. */
export function plainTone(): AudioBlock {
  const channel = Float32Array.from({ length: SECONDS * RATE }, (_, i) => {
    const t = i / RATE
    const course = 0.6 + 0.4 * exp(-3 * t)
    return course * PARTIALS.reduce((sum, level, n) => sum + level * sinTurns((n + 1) * HZ * t), 0)
  })
  return { sampleRate: RATE, channels: [channel] }
}
