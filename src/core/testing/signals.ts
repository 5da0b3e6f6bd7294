import type { AudioBlock } from '../audio/block'
import { createRandom } from '../dsp/random'

/** Test signals. All are made from closed forms or seeds, at full float precision before they become samples. */

export function sine(options: {
  hz: number
  seconds: number
  sampleRate?: number
  amplitude?: number
  channels?: number
}): AudioBlock {
  const { hz, seconds, sampleRate = 48_000, amplitude = 0.5, channels = 1 } = options
  const frames = Math.round(seconds * sampleRate)
  return block(sampleRate, channels, frames, (i) => amplitude * Math.sin((2 * Math.PI * hz * i) / sampleRate))
}

/** Several partials with fixed phases, each at its own pan, slowly breathing: a stand-in for a chord. */
export function chord(options: { hz: readonly number[]; seconds: number; sampleRate?: number }): AudioBlock {
  const { hz, seconds, sampleRate = 48_000 } = options
  const frames = Math.round(seconds * sampleRate)
  return block(sampleRate, 2, frames, (i, c) =>
    hz.reduce((sum, f, n) => {
      const pan = c === 0 ? 1 - n / hz.length : (n + 1) / hz.length
      return sum + (0.4 / hz.length) * pan * Math.sin((2 * Math.PI * f * i) / sampleRate + n)
    }, 0),
  )
}

export function noise(options: {
  seconds: number
  seed: number
  sampleRate?: number
  amplitude?: number
  channels?: number
}): AudioBlock {
  const { seconds, seed, sampleRate = 48_000, amplitude = 0.3, channels = 1 } = options
  const random = createRandom(seed)
  return block(sampleRate, channels, Math.round(seconds * sampleRate), () => amplitude * (2 * random() - 1))
}

/** Short decaying bursts at given seconds, silence between. */
export function clicks(options: { at: readonly number[]; seconds: number; sampleRate?: number }): AudioBlock {
  const { at, seconds, sampleRate = 48_000 } = options
  const random = createRandom(7)
  const frames = Math.round(seconds * sampleRate)
  const samples = new Float32Array(frames)
  for (const time of at) {
    const start = Math.round(time * sampleRate)
    for (let i = 0; i < 0.02 * sampleRate && start + i < frames; i++) {
      samples[start + i] = 0.8 * (2 * random() - 1) * Math.exp(-i / (0.003 * sampleRate))
    }
  }
  return { sampleRate, channels: [samples] }
}

export function block(
  sampleRate: number,
  channels: number,
  frames: number,
  at: (frame: number, channel: number) => number,
): AudioBlock {
  return {
    sampleRate,
    channels: Array.from({ length: channels }, (_, c) => Float32Array.from({ length: frames }, (_, i) => at(i, c))),
  }
}
