import { describe, expect, it } from 'vitest'
import type { AudioBlock } from '../audio/block'
import { semitonesToRatio } from '../dsp/units'
import { renderBlock } from '../render/renderTask'
import { recipe } from '../testing/recipes'
import { block, noise, sine } from '../testing/signals'
import { cents, fitTone, rms } from '../testing/tone'

const RATE = 48_000
const middle = (samples: Float32Array) =>
  samples.subarray(Math.floor(samples.length / 4), Math.floor((3 * samples.length) / 4))

describe('grain cloud', () => {
  const grains = (
    source: AudioBlock,
    settings: Record<string, number | string>,
    change: Parameters<typeof recipe>[1] = {},
  ) => renderBlock(source, recipe('grain', { stretch: 3, settings, ...change }))
  const hiss = noise({ seconds: 1, seed: 3, channels: 2 })

  it('keeps the level of noise whatever the overlap and the length of grains', () => {
    const own = rms(hiss.channels[0] as Float32Array)
    for (const settings of [{ overlap: 2 }, { overlap: 8 }, { grainMs: 20 }, { grainMs: 200, jitterMs: 40 }]) {
      const out = middle(grains(hiss, settings).channels[0] as Float32Array)
      expect(Math.abs(20 * Math.log10(rms(out) / own))).toBeLessThan(1.5)
    }
  })
  it('takes its pitch from its grains, so that length stays', () => {
    const tone = sine({ hz: 600, seconds: 1 })
    for (const semitones of [-7, 5]) {
      const out = grains(tone, { jitterMs: 0, pitchJitterCents: 0 }, { pitchSemitones: semitones, stretch: 1.5 })
      expect(out.channels[0]).toHaveLength(1.5 * RATE)
      // grains are not joined in phase: the mean pitch is right, one grain's own lies within a bin of it
      const wanted = 600 * semitonesToRatio(semitones)
      const { hz } = fitTone(middle(out.channels[0] as Float32Array).slice(0, 3000), RATE, wanted)
      expect(Math.abs(cents(hz, wanted))).toBeLessThan(60)
    }
  })
  it('is another cloud for another seed, and the same for the same', () => {
    const of = (seed: number) => grains(hiss, { jitterMs: 30 }, { seed }).channels[0]
    expect(of(4)).toEqual(of(4))
    expect(of(4)).not.toEqual(of(5))
  })
  it('without jitter and spread has no use for a seed in where grains lie', () => {
    const still = { jitterMs: 0, pitchJitterCents: 0, reversePercent: 0, spreadPercent: 0 }
    expect(grains(hiss, still, { seed: 1 }).channels[0]).toEqual(grains(hiss, still, { seed: 9 }).channels[0])
  })
  it('spread throws a sound in the middle to both sides; without it, it stays in the middle', () => {
    const mono = hiss.channels[0] as Float32Array
    const centred: AudioBlock = { sampleRate: RATE, channels: [mono, mono] }
    const apart = (spreadPercent: number) => {
      const [left, right] = grains(centred, { spreadPercent }).channels as [Float32Array, Float32Array]
      return rms(left.map((v, i) => v - (right[i] as number))) / rms(left)
    }
    expect(apart(0)).toBe(0)
    expect(apart(100)).toBeGreaterThan(0.2)
    expect(apart(100)).toBeGreaterThan(apart(30))
  })
  it('plays grains backwards when all are reversed: a saw falls where it rose', () => {
    const saw = block(RATE, 1, RATE, (i) => ((i % 480) / 480 - 0.5) * 0.6)
    const jumps = (reversePercent: number) => {
      const out = middle(
        grains(saw, { reversePercent, jitterMs: 0, grainMs: 300, overlap: 2 }, { stretch: 1.01 })
          .channels[0] as Float32Array,
      )
      let up = 0
      let down = 0
      for (let i = 1; i < out.length; i++) {
        const step = (out[i] as number) - (out[i - 1] as number)
        if (step > 0.15) up++
        if (step < -0.15) down++
      }
      return down - up
    }
    expect(jumps(0)).toBeGreaterThan(10)
    expect(jumps(100)).toBeLessThan(-10)
  })
})
