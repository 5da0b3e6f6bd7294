import type { AudioBlock } from '../audio/block'
import { createRandom } from '../dsp/random'

/** A loop of struck sounds whose every attack is known. */
export interface TimedLoop {
  readonly audio: AudioBlock
  /** seconds, rising */
  readonly strokes: readonly number[]
  readonly bpm: number
}

export type Touch = 'sparse' | 'dense' | 'overdriven' | 'soft-edged'
export const touches: readonly Touch[] = ['sparse', 'dense', 'overdriven', 'soft-edged']

const RATE = 48_000
const STEPS = 32

/**
 * Two bars, on a grid of sixteenths, each stroke off it by what `late` says, seconds.
 * Dense ones have every sixteenth, sparse ones every quarter and some off-beats; overdriven ones are driven into a
 * limit over a hum; soft-edged ones rise over 8 ms.
 */
export function timedLoop(touch: Touch, late: (step: number) => number, bpm = 104, seed = 5): TimedLoop {
  const random = createRandom(seed)
  const step = 60 / bpm / 4
  const seconds = STEPS * step
  const has = (n: number) =>
    touch === 'dense' ? true : touch === 'sparse' ? n % 4 === 0 || n % 16 === 10 : n % 2 === 0 || n % 16 === 7
  const out = new Float32Array(Math.round(seconds * RATE))
  const strokes: number[] = []
  for (let n = 0; n < STEPS; n++) {
    if (!has(n)) continue
    const at = Math.max(0, n * step + late(n))
    strokes.push(at)
    const [hz, level] = n % 8 === 4 ? [190, 0.7] : n % 4 === 0 ? [70, 0.9] : [420 + 200 * (n % 3), 0.45]
    const falls = touch === 'sparse' ? 0.09 : 0.035
    const rises = touch === 'soft-edged' ? 0.008 : 0.0004
    const from = Math.round(at * RATE)
    for (let i = 0; i < 0.3 * RATE && from + i < out.length; i++) {
      const t = i / RATE
      const body = Math.sin(2 * Math.PI * hz * t) + 0.7 * (2 * random() - 1) * Math.exp(-t / 0.02)
      const level2 = level * Math.exp(-t / falls) * Math.min(1, t / rises) * Math.min(1, (0.3 - t) / 0.1)
      out[from + i] = (out[from + i] as number) + level2 * body
    }
  }
  if (touch === 'overdriven')
    for (let i = 0; i < out.length; i++)
      out[i] = Math.tanh(4 * ((out[i] as number) + 0.03 * Math.sin((2 * Math.PI * 55 * i) / RATE))) * 0.8
  return { audio: { sampleRate: RATE, channels: [out, out.slice()] }, strokes, bpm }
}
