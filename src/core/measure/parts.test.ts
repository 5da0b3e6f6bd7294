import { describe, expect, it } from 'vitest'
import type { AudioBlock } from '../audio/block'
import { finish } from '../task'
import { block, clicks as bursts, chord, noise, sine } from '../testing/signals'
import { straightMap } from '../timeline/timeMap'
import { attacksOf, distanceTo, pairAttacks, ringing } from './attackPairs'
import { clicksOf } from './clicks'
import type { Comparison } from './comparison'
import { originOf } from './comparison'
import { createImage } from './image'
import { createLevels } from './levels'
import { BAND_EDGES, createSpectra, createStereoSpectra, powerBetween } from './spectra'
import { mean, meanSquareRoot, median, percentile, varianceAroundLine, weightedMean } from './statistics'
import { createSteadyTones, hannOffset, lobe, refineBin } from './steadyTones'
import { createSpans } from './step'
import { truePeakOf } from './truePeak'

const RATE = 48_000
const SIZE = 4096
const BIN = RATE / SIZE

const compare = (source: AudioBlock, result = source, stretch = 1, from = 0): Comparison => ({
  source,
  result,
  from,
  map: straightMap(source.channels[0]?.length ?? 0, stretch),
  pitchRatioAt: () => 1,
  formantRatioAt: () => 1,
})

describe('statistics', () => {
  it('of a list are what they are by hand, and 0 of nothing', () => {
    const values = [4, 1, 3, 2]
    expect(mean(values)).toBe(2.5)
    expect(meanSquareRoot([3, 4])).toBeCloseTo(Math.sqrt(12.5), 12)
    expect(median(values)).toBe(3)
    expect(percentile(values, 1)).toBe(4)
    expect(percentile(values, 0)).toBe(1)
    expect(weightedMean([1, 5], [3, 1])).toBe(2)
    for (const nothing of [mean([]), median([]), meanSquareRoot([]), weightedMean([], []), weightedMean([1], [0])])
      expect(nothing).toBe(0)
  })
  it('the spread around a line is none for a line, and the wave’s own for a line with a wave', () => {
    expect(varianceAroundLine([1, 3, 5, 7, 9])).toBeCloseTo(0, 12)
    const wavy = Array.from({ length: 400 }, (_, i) => 0.2 * i + Math.sin((2 * Math.PI * i) / 20))
    expect(varianceAroundLine(wavy)).toBeCloseTo(0.5, 2)
    expect(varianceAroundLine([1, 9])).toBe(0)
  })
})

describe('columns', () => {
  it('hold the power of both channels and what they share', () => {
    const left = sine({ hz: 1000, seconds: 0.5 }).channels[0] as Float32Array
    const same = createStereoSpectra({ sampleRate: RATE, channels: [left, left] }, SIZE)(12_000)
    const against = createStereoSpectra({ sampleRate: RATE, channels: [left, left.map((v) => -v)] }, SIZE)(12_000)
    const k = Math.round(1000 / BIN)
    expect(same.left[k]).toBeCloseTo(same.right[k] as number, 6)
    expect(same.crossRe[k]).toBeCloseTo(same.left[k] as number, 3)
    expect(against.crossRe[k]).toBeCloseTo(-(against.left[k] as number), 3)
    expect(same.power[k]).toBeCloseTo(2 * (same.left[k] as number), 3)
    const plain = createSpectra({ sampleRate: RATE, channels: [left, left] }, SIZE)(12_000)
    const most = same.power[k] as number
    plain.power.forEach((value, n) => {
      expect(Math.abs(value - (same.power[n] as number))).toBeLessThan(1e-9 * most)
    })
  })
  it('sum up between fractional bins: parts make the whole', () => {
    const { below, power } = createSpectra(noise({ seconds: 0.3, seed: 4 }), SIZE)(7000)
    const whole = power.reduce((sum, v) => sum + v, 0)
    expect(powerBetween(below, -1, SIZE)).toBeCloseTo(whole, 3)
    const parts = powerBetween(below, 10.2, 100.7) + powerBetween(below, 100.7, 900.1)
    expect(parts).toBeCloseTo(powerBetween(below, 10.2, 900.1), 6)
    expect(powerBetween(below, 50, 40)).toBe(0)
  })
  it('keep a lone sine inside its lobe wherever it lies between bins, at one power', () => {
    const powers = [1000, 1003, 1005.9, 1008.8].map((hz) => {
      const { below, power } = createSpectra(sine({ hz, seconds: 0.3 }), SIZE)(7000)
      const own = lobe(below, hz / BIN)
      expect(own / (power.reduce((sum, v) => sum + v, 0) + 1e-30)).toBeGreaterThan(0.995)
      return own
    })
    for (const power of powers) expect(10 * Math.log10(power / (powers[0] as number))).toBeCloseTo(0, 1)
  })
})

describe('the place of a sine between bins', () => {
  it('is found within a hundredth of a bin', () => {
    for (const bin of [80, 80.1, 80.37, 80.5, 80.83]) {
      const { power } = createSpectra(sine({ hz: bin * BIN, seconds: 0.3 }), SIZE)(7000)
      expect(refineBin(power, 80.4, 2)).toBeCloseTo(bin, 2)
      expect(Math.abs(hannOffset(power, Math.round(bin)))).toBeLessThanOrEqual(0.5)
    }
  })
  it('is the bin itself in silence, never no number', () => {
    const { power } = createSpectra({ sampleRate: RATE, channels: [new Float32Array(9000)] }, SIZE)(4000)
    expect(Number.isFinite(refineBin(power, 80.4, 2))).toBe(true)
    expect(hannOffset(power, 80)).toBe(0)
  })
  it('is unknown beyond the spectrum', () => {
    const { power } = createSpectra(sine({ hz: 500, seconds: 0.2 }), SIZE)(4000)
    expect(refineBin(power, SIZE, 1)).toBeUndefined()
  })
})

describe('steady tones', () => {
  const tones = (audio: AudioBlock) => createSteadyTones(audio, SIZE)
  it('are the partials of a chord, under the same number as long as they last', () => {
    const hz = [220, 331, 547]
    const at = tones(chord({ hz, seconds: 12 }))
    const early = at(2 * RATE)
    const late = at(6 * RATE)
    expect(early.map(({ bin }) => Math.round(bin * BIN))).toEqual(hz)
    expect(late.map(({ track }) => track)).toEqual(early.map(({ track }) => track))
    for (const tone of early) expect(tone.restless).toBeLessThan(0.05)
    // beyond the part that is looked through at once the numbers start anew, and none comes back
    const next = at(10.8 * RATE)
    expect(next).toHaveLength(3)
    for (const { track } of next) expect(early.map((tone) => tone.track)).not.toContain(track)
  })
  it('are none in noise, in a glide, in silence', () => {
    const glide = block(RATE, 1, 2 * RATE, (i) => 0.5 * Math.sin(2 * Math.PI * (300 + (400 * i) / RATE) * (i / RATE)))
    expect(tones(glide)(RATE)).toHaveLength(0)
    expect(tones({ sampleRate: RATE, channels: [new Float32Array(RATE)] })(RATE / 2)).toHaveLength(0)
    let inNoise = 0
    const at = tones(noise({ seconds: 2, seed: 9 }))
    for (let frame = 4000; frame < 80_000; frame += 2000) inNoise += at(frame).length
    expect(inNoise).toBeLessThan(10)
  })
  it('that tremble in the source say so themselves', () => {
    const shaking = block(
      RATE,
      1,
      3 * RATE,
      (i) => 0.4 * (1 + 0.2 * Math.sin((2 * Math.PI * 4 * i) / RATE)) * Math.sin((2 * Math.PI * 440 * i) / RATE),
    )
    const [tone] = tones(shaking)(1.5 * RATE)
    expect(tone?.restless).toBeGreaterThan(0.5)
  })
})

describe('the true peak', () => {
  it('of a sine between samples is its amplitude, though no sample has it', () => {
    // a quarter of the rate, an eighth turn off: every sample lies at 0.707 of the peak
    const samples = Float32Array.from({ length: 4000 }, (_, i) => {
      // faded at its ends: an edge would overshoot
      const fade = Math.min(1, i / 400, (3999 - i) / 400)
      return 0.8 * fade * Math.sin((Math.PI / 2) * i + Math.PI / 4)
    })
    expect(Math.max(...samples)).toBeCloseTo(0.8 * Math.SQRT1_2, 5)
    expect(truePeakOf([samples])).toBeCloseTo(0.8, 2)
  })
  it('is never under the samples, and 0 of silence', () => {
    const { channels } = noise({ seconds: 0.2, seed: 3, channels: 2 })
    const highest = Math.max(...channels.map((c) => c.reduce((m, v) => Math.max(m, Math.abs(v)), 0)))
    expect(truePeakOf(channels)).toBeGreaterThanOrEqual(highest)
    expect(truePeakOf([new Float32Array(100)])).toBe(0)
    expect(truePeakOf([])).toBe(0)
  })
})

describe('pairs of attacks', () => {
  const source = bursts({ at: [0.2, 0.6, 1.0], seconds: 1.4 })
  const read = finish(attacksOf(source))
  const pair = (at: readonly number[], stretch: number) => {
    const result = bursts({ at, seconds: 1.4 * stretch })
    return pairAttacks(compare(source, result, stretch), read, finish(attacksOf(result)))
  }
  it('lie where the map has them, whatever the stretch', () => {
    for (const stretch of [0.5, 1, 1.7]) {
      const { pairs, extra } = pair(
        [0.2, 0.6, 1.0].map((at) => at * stretch),
        stretch,
      )
      expect(extra).toEqual([])
      expect(pairs).toHaveLength(3)
      for (const { expected, found } of pairs) expect(Math.abs((found ?? -1e9) - expected)).toBeLessThan(48)
    }
  })
  it('know a lost one from a late one, and one too many', () => {
    const lost = pair([0.3, 1.5], 1.5)
    expect(lost.pairs.map(({ found }) => found !== undefined)).toEqual([true, false, true])
    const late = pair([0.3, 0.92, 1.5], 1.5)
    expect(((late.pairs[1]?.found ?? 0) - (late.pairs[1]?.expected ?? 0)) / RATE).toBeCloseTo(0.02, 3)
    const twice = pair([0.3, 0.9, 0.97, 1.5], 1.5)
    expect(twice.extra.map((frame) => frame / RATE)).toEqual([expect.closeTo(0.97, 2)])
  })
  it('ring from the last attack first, for less than a second', () => {
    const { pairs } = pair([0.3, 0.9, 1.5], 1.5)
    const frames = ringing(pairs, 1.6 * RATE, RATE).map((frame) => frame / RATE)
    expect(frames).toEqual([expect.closeTo(1.1, 2), expect.closeTo(1.3, 2)])
    expect(ringing(pairs, 0.1 * RATE, RATE)).toEqual([])
  })
  it('distances are to the nearest, and endless from nothing', () => {
    expect(distanceTo(Float64Array.of(10, 20, 40), 28)).toBe(8)
    expect(distanceTo(Float64Array.of(10, 20, 40), 41)).toBe(1)
    expect(distanceTo(new Float64Array(0), 5)).toBe(Number.POSITIVE_INFINITY)
  })
})

describe('where a result frame comes from', () => {
  it('follows the map from where the result begins, and stays inside the source', () => {
    const sound = sine({ hz: 100, seconds: 1 })
    const comparison = compare(sound, sound, 2, 1000)
    expect(originOf(comparison, 0)).toBe(500)
    expect(originOf(comparison, 3000)).toBe(2000)
    expect(originOf(comparison, -5000)).toBe(0)
    expect(originOf(comparison, 1e9)).toBe(RATE - 1)
  })
  it('spans of it become places with the source that they stand for', () => {
    const sound = sine({ hz: 100, seconds: 1 })
    const spans = createSpans(compare(sound, sound, 2, 0), 0.1)
    for (const frame of [0, 1000, 2000, 9600, 10_000]) spans.add(frame, frame / 2, frame < 9000 ? 1 : 3)
    const places = spans.places()
    expect(places.map(({ value }) => value)).toEqual([1, 3])
    expect(places[0]).toMatchObject({ sourceFrame: 500, outputFrame: 1000 })
    expect(places[1]?.spanFrames).toBe(2400)
    expect(spans.places((value) => (value > 2 ? value : undefined))).toHaveLength(1)
  })
})

describe('clicks', () => {
  const quiet = sine({ hz: 300, seconds: 1, amplitude: 0.4 })
  const withJump = (audio: AudioBlock, at: number, size: number): AudioBlock => ({
    ...audio,
    channels: audio.channels.map((samples) =>
      samples.map((v, i) => (i >= at ? v + size * Math.exp((at - i) / 40) : v)),
    ),
  })
  const found = (source: AudioBlock, result: AudioBlock) =>
    finish(clicksOf(compare(source, result), { pairs: [], extra: [], known: [] })).clicks
  it('are told at their frame, once, in whichever channel', () => {
    const { value, places } = found(quiet, withJump(quiet, 20_000, 0.1))
    expect(value).toBe(1)
    expect(Math.abs((places[0]?.outputFrame ?? 0) - 20_000)).toBeLessThan(4)
  })
  it('that the source has as well are its own', () => {
    const clicked = withJump(quiet, 20_000, 0.1)
    expect(found(clicked, clicked).value).toBe(0)
  })
  it('are none in smooth and in noisy sound, and none so faint that nobody hears them', () => {
    expect(found(quiet, quiet).value).toBe(0)
    const hiss = noise({ seconds: 1, seed: 5 })
    expect(found(hiss, noise({ seconds: 1, seed: 6 })).value).toBe(0)
    expect(found(quiet, withJump(quiet, 20_000, 2e-4)).value).toBe(0)
  })
})

describe('image', () => {
  const two = (left: AudioBlock, right: AudioBlock): AudioBlock => ({
    sampleRate: RATE,
    channels: [left.channels[0] as Float32Array, right.channels[0] as Float32Array],
  })
  const moved = (source: AudioBlock, result: AudioBlock) => {
    const image = createImage(compare(source, result))
    const want = createStereoSpectra(source, SIZE)
    const got = createStereoSpectra(result, SIZE)
    for (let at = SIZE; at < RATE; at += SIZE / 2) image.add(at, at, 1, got(at), want(at), BIN)
    return image.finish()
  }
  const a = noise({ seconds: 1.2, seed: 1 })
  const b = noise({ seconds: 1.2, seed: 2 })
  it('is none for itself, half of all for two that become one, all for sides that change', () => {
    expect(moved(two(a, b), two(a, b)).value).toBe(0)
    // from incoherent to one in the middle: eigenvalues ½, ½ become 1, 0
    // less what chance would move of so short a noise
    const halved = moved(two(a, b), two(a, a)).value
    expect(halved).toBeGreaterThan(48.5)
    expect(halved).toBeLessThan(50.5)
    const silent = { ...a, channels: [new Float32Array(57_600)] }
    expect(moved(two(a, silent), two(silent, a)).value).toBeGreaterThan(99.5)
  })
  it('counts a change of phase between channels, and is not measured in mono', () => {
    const turned = { ...a, channels: [(a.channels[0] as Float32Array).map((v) => -v)] }
    expect(moved(two(a, a), two(a, turned)).value).toBeCloseTo(100, 3)
    expect(createImage(compare(a)).finish().measured).toBe(false)
  })
})

describe('level and balance', () => {
  const bed = noise({ seconds: 1.2, seed: 7 })
  const levelsOf = (result: AudioBlock, natural?: 'silence') => {
    const levels = createLevels(compare(bed, result))
    const want = createSpectra(bed, SIZE)
    const got = createSpectra(result, SIZE)
    for (let at = SIZE; at < RATE; at += SIZE / 2) levels.add(at, at, 1, got(at), want(at), natural, BIN)
    return levels.finish(0, 0)
  }
  const scaled = (gain: number): AudioBlock => ({
    ...bed,
    channels: bed.channels.map((samples) => samples.map((v) => gain * v)),
  })
  it('are the change in dB, without a change of balance', () => {
    for (const gain of [0.25, 0.5, 2]) {
      const { level, balance } = levelsOf(scaled(gain))
      expect(level.parts.changeLu).toBeCloseTo(20 * Math.log10(gain), 3)
      expect(balance.value).toBeCloseTo(0, 6)
    }
  })
  it('leave open what may ring out: less is no harm, much more is', () => {
    expect(levelsOf(scaled(0.3), 'silence').level.measured).toBe(false)
    expect(levelsOf(scaled(8), 'silence').level.value).toBeGreaterThan(12)
  })
  it('hear highs that are missing as balance', () => {
    let y = 0
    const dull = { ...bed, channels: bed.channels.map((samples) => samples.map((v) => (y += 0.1 * (v - y)))) }
    const { balance } = levelsOf(dull)
    expect(balance.value).toBeGreaterThan(4)
    expect(balance.parts.highDb).toBeLessThan(balance.parts.lowDb as number)
  })
  it('has bands that rise by a third of an octave', () => {
    for (let b = 3; b < BAND_EDGES.length; b++)
      expect((BAND_EDGES[b] as number) / (BAND_EDGES[b - 3] as number)).toBeCloseTo(2, 9)
  })
})
