import { describe, expect, it } from 'vitest'
import { createRandom } from '../dsp/random'
import type { Voice } from '../methods/method'
import { straightMap } from '../timeline/timeMap'
import { withCleanAttacks } from './cleanAttacks'

const RATE = 48_000
const ATTACKS = [9600, 19_200, 28_800].map((frame) => ({ frame, strength: 1 }))

/** Strokes over a quiet hum. */
const source = Float32Array.from({ length: RATE }, (_, i) => {
  const since = i - (ATTACKS.filter(({ frame }) => frame <= i).at(-1)?.frame ?? -RATE)
  return 0.01 * Math.sin(i / 40) + 0.7 * Math.exp(-since / 900) * Math.sin(i / 9)
})
const audio = { sampleRate: RATE, channels: [source] }
/** The same, with so much of what comes heard `early` frames before it. */
const spread = (share: number, early = 300) => source.map((x, i) => x + share * (source[i + early] ?? 0))
const voiceOf = (samples: Float32Array): Voice => ({
  read(frame, out) {
    out[0]?.forEach((_, i) => {
      ;(out[0] as Float32Array)[i] = samples[frame + i] ?? 0
    })
  },
})
const readAll = (voice: Voice, sizes: () => number) => {
  const out = new Float32Array(RATE)
  for (let at = 0; at < RATE; ) {
    const size = Math.min(RATE - at, sizes())
    voice.read(at, [out.subarray(at, at + size)])
    at += size
  }
  return out
}
const energy = (of: Float32Array, from: number, to: number) => of.subarray(from, to).reduce((sum, x) => sum + x * x, 0)

describe('attacks that are heard before they come', () => {
  const open = (samples: Float32Array) => withCleanAttacks(voiceOf(samples), audio, straightMap(RATE, 1), ATTACKS)
  it('are not, and begin as they were played; elsewhere nothing is changed', () => {
    const smeared = spread(0.2)
    const made = readAll(open(smeared), () => 1024)
    for (const { frame } of ATTACKS) {
      expect(energy(smeared, frame - 280, frame)).toBeGreaterThan(20 * energy(source, frame - 280, frame))
      expect(energy(made, frame - 280, frame)).toBeLessThan(1.05 * energy(source, frame - 280, frame))
      expect(made.subarray(frame - 300, frame)).toEqual(source.subarray(frame - 300, frame))
      expect(made.subarray(frame + 144, frame + 4000)).toEqual(smeared.subarray(frame + 144, frame + 4000))
    }
  })
  it('are left alone where nothing of them is heard before', () => {
    const loud = source.map((x) => 0.9 * x)
    expect(readAll(open(loud), () => 512)).toEqual(loud)
  })
  it('come out the same whatever the blocks, and wherever reading begins', () => {
    const smeared = spread(0.3)
    const random = createRandom(2)
    const whole = readAll(open(smeared), () => 4096)
    expect(readAll(open(smeared), () => 1 + Math.floor(700 * random()))).toEqual(whole)
    for (const from of [9300, 9599, 9700, 19_000, 30_000]) {
      const part = new Float32Array(900)
      open(smeared).read(from, [part])
      expect(part).toEqual(whole.subarray(from, from + 900))
    }
  })
})
