import { describe, expect, it } from 'vitest'
import type { AudioBlock } from '../audio/block'
import { createLoudnessMeter } from '../measure/loudness'
import { renderBlock } from '../render/renderTask'
import { recipe } from '../testing/recipes'
import { block, clicks } from '../testing/signals'
import { rms } from '../testing/tone'

const RATE = 48_000
const AT = [0.2, 0.7, 1.2, 1.7] as const
const DECAY_SECONDS = 0.06

/** Struck tones that die away by a known law. */
function struck(hz: number, seconds = 2.2): AudioBlock {
  const samples = new Float32Array(Math.round(seconds * RATE))
  for (const at of AT) {
    const start = Math.round(at * RATE)
    for (let i = 0; i < 0.45 * RATE && start + i < samples.length; i++) {
      const t = i / RATE
      samples[start + i] =
        (samples[start + i] as number) + 0.6 * Math.exp(-t / DECAY_SECONDS) * Math.sin(2 * Math.PI * hz * t)
    }
  }
  return { sampleRate: RATE, channels: [samples] }
}

const levelDb = (samples: Float32Array, from: number, to: number) =>
  20 * Math.log10(rms(samples.slice(Math.round(from * RATE), Math.round(to * RATE))) + 1e-9)
const rendered = (source: AudioBlock, change: Parameters<typeof recipe>[1]) =>
  renderBlock(source, recipe('splice', change)).channels[0] as Float32Array

function loudness(samples: Float32Array): number {
  const meter = createLoudnessMeter(RATE, 1)
  meter.add([samples], samples.length)
  return meter.finish()
}

describe('attack splice', () => {
  it.each([-12, -5, 5, 12])('lets a stroke die away as it did at %d st, and keeps the loudness', (pitchSemitones) => {
    const out = rendered(struck(700), { pitchSemitones })
    const ideal = struck(700 * 2 ** (pitchSemitones / 12)).channels[0] as Float32Array
    for (const at of AT) {
      const fallDb = (samples: Float32Array) =>
        levelDb(samples, at + 0.01, at + 0.03) - levelDb(samples, at + 0.1, at + 0.12)
      expect(Math.abs(fallDb(out) - fallDb(ideal))).toBeLessThan(2.5)
    }
    expect(Math.abs(loudness(out) - loudness(ideal))).toBeLessThan(0.6)
  })

  it.each([
    [-12, 1.2],
    [12, 3],
  ])('lets low and high parts of a stroke die away each as it did, at %d st', (pitchSemitones, within) => {
    const [low, high] = [220, 3520]
    const source = block(RATE, 1, Math.round(2.2 * RATE), (frame) => {
      const t = frame / RATE
      const since = t - Math.max(...AT.filter((at) => at <= t), -1)
      if (since > 0.45) return 0
      const parts = Math.exp(-since / 0.12) * Math.sin(2 * Math.PI * low * since)
      return 0.4 * (parts + Math.exp(-since / 0.03) * Math.sin(2 * Math.PI * high * since))
    })
    const ratio = 2 ** (pitchSemitones / 12)
    const result = renderBlock(source, recipe('splice', { pitchSemitones }))
    // how far a tone falls from 10 to 50 ms after each stroke, dB, by a window that hears it alone
    const fall = (audio: AudioBlock, hz: number) => {
      const at = (seconds: number) => toneLevel(audio.channels[0] as Float32Array, hz, seconds, 0.02)
      const falls = AT.map((t) => 20 * Math.log10(at(t + 0.01) / at(t + 0.05)))
      return falls.reduce((sum, value) => sum + value, 0) / falls.length
    }
    for (const hz of [low, high]) expect(Math.abs(fall(result, hz * ratio) - fall(source, hz))).toBeLessThan(within)
  })

  it('puts each stroke whole at its mapped time, sample by sample', () => {
    const source = struck(700)
    const own = source.channels[0] as Float32Array
    const out = rendered(source, { stretch: 1.5 })
    for (const at of AT) {
      const from = Math.round(at * RATE)
      const to = Math.round(at * 1.5 * RATE)
      let most = 0
      for (let i = 40; i < 0.2 * RATE; i++) {
        let near = 1
        // attacks are found to the sample or its neighbour
        for (const slip of [-1, 0, 1])
          near = Math.min(near, Math.abs((out[to + i + slip] as number) - (own[from + i] as number)))
        most = Math.max(most, near)
      }
      expect(most).toBeLessThan(0.06)
    }
  })

  it('lets tails end by themselves, or carries them on at the level to which they have come', () => {
    // short blows over a tone that sounds from the first on
    const blows = clicks({ at: AT, seconds: 2.2 })
    const sustained = block(RATE, 1, 2.2 * RATE, (i) => {
      const tone = i > AT[0] * RATE ? 0.1 * Math.sin((2 * Math.PI * 330 * i) / RATE) : 0
      return (blows.channels[0]?.[i] as number) + tone
    })
    const gapDb = (tail: string) => levelDb(rendered(sustained, { stretch: 2, settings: { tail } }), 1.1, 1.3)
    expect(gapDb('decay')).toBeLessThan(-60)
    const steadyDb = 20 * Math.log10(0.1 / Math.SQRT2)
    expect(Math.abs(gapDb('match') - steadyDb)).toBeLessThan(1.5)
    expect(Math.abs(gapDb('noise') - steadyDb)).toBeLessThan(3)
  })
})

/** Amplitude of a tone at `hz` in a Hann window that begins at a second. */
function toneLevel(samples: Float32Array, hz: number, from: number, seconds: number): number {
  const size = Math.round(seconds * RATE)
  let re = 0
  let im = 0
  for (let i = 0; i < size; i++) {
    const x = (samples[Math.round(from * RATE) + i] ?? 0) * (0.5 - 0.5 * Math.cos((2 * Math.PI * (i + 0.5)) / size))
    re += x * Math.cos((2 * Math.PI * hz * i) / RATE)
    im += x * Math.sin((2 * Math.PI * hz * i) / RATE)
  }
  return (4 * Math.hypot(re, im)) / size
}
