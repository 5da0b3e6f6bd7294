import { describe, expect, it } from 'vitest'
import { soundSource } from '../audio/soundSource'
import { finish } from '../task'
import { AS_WRITTEN } from '../testing/instruments'
import { drawnItem, type ScoreKind } from '../testing/scores'
import { noise, sine } from '../testing/signals'
import { analyse } from './analysis'
import { FOCUS_MS, focusOf } from './focus'
import { tonalWindow } from './material'

const RATE = 48_000
const block = (samples: Float32Array) => ({ sampleRate: RATE, channels: [samples] })
const focusThrough = (samples: Float32Array) => finish(focusOf(soundSource(block(samples))))

/** Entropy of a region by the sum that defines it: a plain transform, in double precision, of the whole rate. */
function plainEntropy(samples: Float32Array, size: number, from: number, to: number): number {
  const powers: number[] = []
  for (let centre = from; centre < to; centre += size / 4) {
    const start = Math.round(centre - size / 2)
    const wanted = Math.min(size / 2, Math.round((6000 * size) / RATE))
    for (let k = 1; k < wanted; k++) {
      let [re, im] = [0, 0]
      for (let i = 0; i < size; i++) {
        const x = (samples[start + i] ?? 0) * (0.5 - 0.5 * Math.cos((2 * Math.PI * i) / size))
        re += x * Math.cos((2 * Math.PI * k * i) / size)
        im -= x * Math.sin((2 * Math.PI * k * i) / size)
      }
      powers.push(re * re + im * im)
    }
  }
  const sum = powers.reduce((all, value) => all + value, 0)
  return powers.reduce((all, value) => (value > 0 ? all - (value / sum) * Math.log(value / sum) : all), 0)
}

describe('how spread out a sound is, by windows', () => {
  it('falls by an octave of window for a tone that stands, and rises by one for a click', () => {
    const tone = focusThrough(sine({ hz: 440, seconds: 2, sampleRate: RATE }).channels[0] as Float32Array)
    const click = new Float32Array(RATE)
    for (let at = 6000; at < RATE; at += 16_320) click[at] = 1
    const struck = focusThrough(click)
    for (let i = 1; i < FOCUS_MS.length; i++) {
      expect((tone[i - 1] as number) - (tone[i] as number)).toBeCloseTo(Math.log(2), 0)
      if (i < 4) expect((struck[i] as number) - (struck[i - 1] as number)).toBeGreaterThan(0.3)
    }
  })

  it('is the same through any window for noise', () => {
    const focus = focusThrough(noise({ seconds: 4, seed: 3, sampleRate: RATE }).channels[0] as Float32Array)
    expect(Math.max(...focus) - Math.min(...focus)).toBeLessThan(0.1)
  })

  it('is what the sum says that defines it, by a plain calculation', () => {
    const samples = new Float32Array(24_000)
    for (let i = 0; i < samples.length; i++)
      samples[i] = 0.5 * Math.sin(0.04 * i + 1e-6 * i * i) + 0.3 * Math.sin(0.11 * i) * Math.exp(-i / 9000)
    // one region of 0.34 s from the start on
    const short = samples.subarray(0, 16_320)
    const found = focusThrough(short)
    const plain = [1024, 2048].map((size) => plainEntropy(short, size, size / 8, 16_320))
    expect((found[0] as number) - (found[1] as number)).toBeCloseTo((plain[0] as number) - (plain[1] as number), 1)
  })

  it('says nothing of silence, of a sound of no length to speak of, and is finite for all', () => {
    for (const samples of [new Float32Array(RATE), new Float32Array(3), new Float32Array(50).fill(0.1)])
      for (const value of focusThrough(samples)) expect(Number.isFinite(value)).toBe(true)
  })
})

describe('the window for phases that are carried on', () => {
  const windows = (kind: ScoreKind, numbers: readonly number[]) =>
    numbers.map((number) => {
      const { audio } = drawnItem(kind, number).play(AS_WRITTEN)
      return tonalWindow(analyse(audio, ['attacks', 'focus']), audio.sampleRate)
    })
  // numbers that it was not fitted to
  it.each([
    ['pad', [170]],
    ['bell', [170]],
    ['bass', [85]],
    ['mix', [85]],
    ['beat', [43, 85]],
    ['voice', [43]],
    ['cry', [11, 21, 43]],
    ['chirp', [11]],
  ] as const)('of a %s is %j ms', (kind, wanted) => {
    for (const { ms } of windows(kind, [21, 22, 23])) expect(wanted).toContain(ms)
  })
  it('is said to look at what moves, which more columns follow: a voice, a cry, and no bell or knock', () => {
    const moves = (kind: ScoreKind) => windows(kind, [21, 22, 23]).map((found) => found.moves)
    for (const kind of ['voice', 'cry', 'chirp'] as const) expect(moves(kind)).toEqual([true, true, true])
    for (const kind of ['bell', 'knocks', 'pad'] as const) expect(moves(kind)).toEqual([false, false, false])
  })
  it('is a long one where nobody looked', () => {
    expect(tonalWindow({}, RATE)).toEqual({ ms: 170, moves: false })
  })
})
