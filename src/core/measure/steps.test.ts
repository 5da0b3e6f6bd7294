import { describe, expect, it } from 'vitest'
import { type AudioBlock, frameCount } from '../audio/block'
import { finish } from '../task'
import { modulate, repeatPieces } from '../testing/damage'
import { block, clicks, noise, sine } from '../testing/signals'
import { straightMap } from '../timeline/timeMap'
import { createAliasing } from './aliasing'
import { attacksOf, pairAttacks } from './attackPairs'
import type { Comparison } from './comparison'
import { createNoiseColour } from './noiseColour'
import { createReach } from './reach'
import { readSource } from './sourceReading'
import { createSpectra } from './spectra'
import { createSteadyTones } from './steadyTones'
import type { Gatherer, Step } from './step'
import { createTones } from './tones'
import { unlikenessOf } from './unlikeness'

const RATE = 48_000
const SIZE = 4096

const compare = (source: AudioBlock, result: AudioBlock, ratio = 1): Comparison => ({
  source,
  result,
  from: 0,
  map: straightMap(frameCount(source), 1),
  pitchRatioAt: () => ratio,
  formantRatioAt: () => ratio,
})

/** Let a gatherer see all of a result, as if there were no attacks. */
function gathered<R>(
  make: (comparison: Comparison) => Gatherer<R>,
  source: AudioBlock,
  result: AudioBlock,
  ratio = 1,
): R {
  const comparison = compare(source, result, ratio)
  const gatherer = make(comparison)
  const reads = [source, result, source, result].map((audio, n) => createSpectra(audio, n < 2 ? SIZE : SIZE / 2))
  const [want, got, wantShort, gotShort] = reads as [
    (typeof reads)[0],
    (typeof reads)[0],
    (typeof reads)[0],
    (typeof reads)[0],
  ]
  const steadyAt = createSteadyTones(source, SIZE)
  for (let at = SIZE; at < frameCount(result) - SIZE; at += SIZE / 4) {
    const step: Step = {
      resultFrame: at,
      sourceFrame: at,
      ratio,
      got: got(at),
      want: want(at),
      natural: undefined,
      short: () => ({ got: gotShort(at), want: wantShort(at) }),
      tones: steadyAt(at),
      binHz: RATE / SIZE,
      restsWithin: () => true,
    }
    gatherer.add(step)
  }
  return gatherer.finish()
}

const organ = (hz: number, partials = 6, seconds = 2): AudioBlock =>
  block(RATE, 1, seconds * RATE, (i) => {
    let sum = 0
    for (let n = 1; n <= partials; n++) sum += Math.sin((2 * Math.PI * n * hz * i) / RATE + n) / n
    return 0.2 * sum
  })
const mixed = (a: AudioBlock, b: AudioBlock, gain: number): AudioBlock => ({
  ...a,
  channels: a.channels.map((samples, c) => samples.map((v, i) => v + gain * (b.channels[c]?.[i] ?? 0))),
})

/** with the window of the steps, and a loudest moment that is no louder than what is there */
const aliasingOf = (comparison: Comparison) => createAliasing(comparison, SIZE, 0, createReach(comparison.source, SIZE))

describe('aliasing', () => {
  it('is what has no origin, in dB over −80 under the sound', () => {
    const tone = organ(300)
    const whistle = sine({ hz: 15_500, seconds: 2, amplitude: 1 })
    const level = (gain: number) => gathered(aliasingOf, tone, mixed(tone, whistle, gain)).value
    expect(level(0)).toBe(0)
    expect(level(1e-4)).toBeGreaterThan(0)
    expect(level(1e-2) - level(1e-3)).toBeCloseTo(20, 0)
    expect(gathered(aliasingOf, tone, mixed(tone, whistle, 1e-3)).parts.strayDb).toBeCloseTo(level(1e-3) - 80, 3)
  })
  it('knows partials where the pitch has taken them', () => {
    expect(gathered(aliasingOf, organ(300), organ(450), 1.5).value).toBe(0)
    expect(gathered(aliasingOf, organ(300, 3), organ(900, 3), 1).value).toBeGreaterThan(40)
  })
})

describe('noise colour', () => {
  const hiss = (seed: number) => noise({ seconds: 2.5, seed })
  it('is next to nothing between two noises of one kind, and not asked of tones', () => {
    const colour = gathered(createNoiseColour, hiss(1), hiss(2))
    expect(colour.measured).toBe(true)
    expect(colour.value).toBeLessThan(0.2)
    expect(gathered(createNoiseColour, organ(220), organ(220)).measured).toBe(false)
  })
  it('rises with repeats and with pulses, each told by its own part', () => {
    const metallic = gathered(createNoiseColour, hiss(1), repeatPieces(hiss(2), 15, 1))
    expect(metallic.value).toBeGreaterThan(0.8)
    const pulsing = gathered(createNoiseColour, hiss(1), modulate(hiss(2), 35, 60))
    expect(pulsing.parts.grainDb).toBeGreaterThan(1)
    expect(Math.abs(pulsing.parts.flatnessDb as number)).toBeLessThan(0.3)
  })
})

describe('tones', () => {
  it('that are the source’s own neither shake nor lie off', () => {
    const { flutter, detune, phasiness } = gathered(createTones, organ(220), organ(220))
    expect(flutter.value).toBeLessThan(0.01)
    expect(phasiness.value).toBe(0)
    expect(detune.length).toBeGreaterThan(100)
    for (const { cents } of detune) expect(cents).toBeLessThan(0.01)
  })
  it.each([3, 12, 40])('%d cents off are told as that, whatever the pitch ratio', (off) => {
    const bend = 2 ** (off / 1200)
    for (const ratio of [1, 1.5]) {
      const { detune } = gathered(createTones, organ(220), organ(220 * ratio * bend), ratio)
      const usual = detune.map(({ cents }) => cents).sort((a, b) => a - b)[detune.length >> 1] as number
      expect(usual).toBeCloseTo(off, 0)
    }
  })
  it('shake by what their level does, slowly and fast', () => {
    // depth m swings the level by 8.7 · m/√2 dB rms
    for (const hz of [6, 45]) {
      const { flutter } = gathered(createTones, organ(440, 4), modulate(organ(440, 4), hz, 20))
      expect(flutter.value).toBeGreaterThan(0.6 * 8.7 * 0.2 * Math.SQRT1_2)
      expect(flutter.value).toBeLessThan(1.5 * 8.7 * 0.2 * Math.SQRT1_2)
    }
  })
})

describe('unlikeness', () => {
  const between = (source: AudioBlock, result: AudioBlock) => {
    const comparison = compare(source, result)
    const pairs = pairAttacks(comparison, finish(attacksOf(source)), finish(attacksOf(result)))
    return finish(unlikenessOf(comparison, pairs, [512, 2048, 8192], finish(readSource(source))))
  }
  const hits = clicks({ at: [0.2, 0.6, 1.1], seconds: 1.5 })
  it('is none of a sound to itself, and a change of level in dB', () => {
    for (const sound of [hits, organ(220), noise({ seconds: 1.5, seed: 4 })]) {
      expect(between(sound, sound)).toBe(0)
      const quieter = { ...sound, channels: sound.channels.map((c) => c.map((v) => 0.5 * v)) }
      expect(between(sound, quieter)).toBeGreaterThan(4.5)
      expect(between(sound, quieter)).toBeLessThan(6.3)
    }
  })
  it('does not mind a hit that comes a little late, but one that is another', () => {
    const late = clicks({ at: [0.2, 0.615, 1.1], seconds: 1.5 })
    const other = block(RATE, 1, 1.5 * RATE, (i) => {
      const since = [0.2, 0.6, 1.1].map((at) => i / RATE - at).find((t) => t >= 0 && t < 0.1)
      return since === undefined ? 0 : 0.8 * Math.exp(-since / 0.02) * Math.sin(2 * Math.PI * 180 * since)
    })
    expect(between(hits, late)).toBeLessThan(1.5)
    expect(between(hits, other)).toBeGreaterThan(6)
  })
})
