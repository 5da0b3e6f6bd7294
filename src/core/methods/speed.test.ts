import { describe, expect, it } from 'vitest'
import type { AudioBlock } from '../audio/block'
import { semitonesToRatio } from '../dsp/units'
import { renderBlock } from '../render/renderTask'
import { recipe } from '../testing/recipes'
import { block, noise, sine } from '../testing/signals'
import { cents, fitTone, rms } from '../testing/tone'

const RATE = 48_000
const rendered = (source: AudioBlock, change: Parameters<typeof recipe>[1]) =>
  renderBlock(source, recipe('varispeed', change)).channels[0] as Float32Array
const middle = (samples: Float32Array) =>
  samples.subarray(Math.floor(samples.length / 4), Math.floor((3 * samples.length) / 4))

describe('varispeed', () => {
  it.each([0.5, 0.8, 1.25, 2, 4])('at %d × moves a tone by exactly the speed, and keeps its level', (stretch) => {
    const out = rendered(sine({ hz: 1000, seconds: 2 }), { stretch })
    expect(out).toHaveLength(Math.round(2 * RATE * stretch))
    const { hz, amplitude, residualDb } = fitTone(middle(out).slice(0, 24_000), RATE, 1000 / stretch)
    expect(Math.abs(cents(hz, 1000 / stretch))).toBeLessThan(0.05)
    expect(amplitude).toBeCloseTo(0.5, 3)
    expect(residualDb).toBeLessThan(-80)
  })
  it('turns semitones into speed as well: an octave up is half as long', () => {
    const out = rendered(sine({ hz: 500, seconds: 1 }), { pitchSemitones: 12 })
    expect(out).toHaveLength(RATE / 2)
    expect(fitTone(middle(out).slice(0, 8000), RATE, 1000).hz).toBeCloseTo(1000, 1)
  })
  it('lets nothing fold back when what is too high is read faster', () => {
    // at double speed 15 kHz would be 30: it has no place there, and must not come back at 18
    const out = rendered(sine({ hz: 15_000, seconds: 1 }), { stretch: 0.5 })
    expect(20 * Math.log10(rms(middle(out)) / (0.5 * Math.SQRT1_2))).toBeLessThan(-80)
  })
  it('leaves no image above when read slower', () => {
    const out = middle(rendered(sine({ hz: 18_000, seconds: 1 }), { stretch: 2 }))
    // the tone is at 9 kHz; an image would lie at 15, and be what is left beside it
    expect(fitTone(out.slice(0, 16_000), RATE, 9000).residualDb).toBeLessThan(-85)
  })
  it('goes there and back again to what it was', () => {
    const source = sine({ hz: 700, seconds: 1 })
    const slow = renderBlock(source, recipe('varispeed', { stretch: 1.6 }))
    const back = rendered(slow, { stretch: 1 / 1.6 })
    const own = source.channels[0] as Float32Array
    let worst = 0
    for (let i = 4000; i < 44_000; i++) worst = Math.max(worst, Math.abs((back[i] as number) - (own[i] as number)))
    expect(worst).toBeLessThan(1e-3)
  })
  it('slides along a line of pitch', () => {
    const line = [
      { outputSeconds: 0, semitones: 0 },
      { outputSeconds: 1, semitones: -12 },
      { outputSeconds: 1.5, semitones: -12 },
    ]
    const out = rendered(sine({ hz: 800, seconds: 3 }), { pitchLine: line })
    const at = (seconds: number, hz: number) =>
      fitTone(out.subarray(seconds * RATE, seconds * RATE + 2000), RATE, hz).hz
    expect(at(0, 790)).toBeLessThan(805)
    expect(at(1.1, 400)).toBeCloseTo(400, 0)
    expect(out.length).toBeGreaterThan(3 * RATE)
  })
})

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
