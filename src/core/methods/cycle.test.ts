import { describe, expect, it } from 'vitest'
import { trackPitch } from '../analysis/pitchTrack'
import type { AudioBlock } from '../audio/block'
import { createRandom } from '../dsp/random'
import { renderBlock } from '../render/renderTask'
import { finish } from '../task'
import { spectralDistance } from '../testing/distance'
import { AS_WRITTEN } from '../testing/ideals'
import { loudnessOf } from '../testing/judge'
import { recipe } from '../testing/recipes'
import { drawnItem, type ScoreKind } from '../testing/scores'
import { cents, rms } from '../testing/tone'

const RATE = 48_000
const tilt = (hz: number) => 1 / (1 + (hz / 900) ** 1.5)

/** A held note of harmonics under a tilt; its pitch swings by `depth` (share) five times a second. */
function sung(f0: number, options: { seconds?: number; depth?: number; from?: number } = {}): AudioBlock {
  const { seconds = 1.2, depth = 0, from = 0 } = options
  const samples = new Float32Array(Math.round(seconds * RATE))
  let phase = 0
  for (let i = Math.round(from * RATE); i < samples.length; i++) {
    const hz = f0 * (1 + depth * Math.sin((2 * Math.PI * 5 * i) / RATE))
    phase += hz / RATE
    let sum = 0
    for (let n = 1; n * f0 < 6000; n++) sum += tilt(n * f0) * Math.sin(2 * Math.PI * n * phase)
    samples[i] = 0.15 * sum * Math.min(1, (i / RATE - from) / 0.005)
  }
  return { sampleRate: RATE, channels: [samples] }
}

const rendered = (source: AudioBlock, change: Parameters<typeof recipe>[1]) =>
  renderBlock(source, recipe('cycle', change))

/** Level of one partial, dB, over half a second from the middle. */
function partialDb(audio: AudioBlock, hz: number): number {
  const samples = audio.channels[0] as Float32Array
  const size = RATE / 2
  const start = Math.round(samples.length / 2 - size / 2)
  let re = 0
  let im = 0
  for (let i = 0; i < size; i++) {
    const w = 0.5 - 0.5 * Math.cos((2 * Math.PI * i) / size)
    re += w * (samples[start + i] as number) * Math.cos((2 * Math.PI * hz * i) / RATE)
    im += w * (samples[start + i] as number) * Math.sin((2 * Math.PI * hz * i) / RATE)
  }
  return 20 * Math.log10((4 * Math.hypot(re, im)) / size + 1e-9)
}

describe('pitch cycle', () => {
  it.each([-12, -5, 7])('lays the same envelope under other harmonics at %d st: formants stay', (pitchSemitones) => {
    const ratio = 2 ** (pitchSemitones / 12)
    const out = rendered(sung(150), { pitchSemitones, formants: 'keep' })
    const offsets: number[] = []
    for (let n = 1; n * 150 * ratio < 4000; n++) {
      const hz = n * 150 * ratio
      offsets.push(partialDb(out, hz) - 20 * Math.log10(0.15 * tilt(hz)))
    }
    const middle = offsets.reduce((sum, v) => sum + v, 0) / offsets.length
    for (const offset of offsets) expect(Math.abs(offset - middle)).toBeLessThan(1)
  })

  it('keeps the loudness or each cycle, as its level is set', () => {
    const source = sung(150)
    const ratioDb = (level: string) =>
      20 *
      Math.log10(
        rms(rendered(source, { pitchSemitones: 7, settings: { level } }).channels[0] as Float32Array) /
          rms(source.channels[0] as Float32Array),
      )
    const keptDb = (level: string) =>
      partialDb(rendered(source, { pitchSemitones: 7, formants: 'keep', settings: { level } }), 150 * 2 ** (7 / 12))
    expect(Math.abs(ratioDb('loudness'))).toBeLessThan(0.5)
    // cycles that overlap more add up in amplitude, or are turned down to keep their power
    expect(keptDb('loudness') - keptDb('cycle')).toBeCloseTo(20 * Math.log10(2 ** (3.5 / 12)), 0)
  })

  it.each([0.6, 1.7])('follows a vibrato without lagging behind it, at %d ×', (stretch) => {
    const out = finish(trackPitch(rendered(sung(180, { depth: 0.02 }), { stretch })))
    // the pitch that the score has there: the same swing, slower or faster
    const errors: number[] = []
    out.hz.forEach((hz, n) => {
      const t = (n * out.hopFrames) / RATE
      if (hz === 0 || t < 0.1 * stretch || t > 1.1 * stretch) return
      const wanted = 180 * (1 + 0.02 * Math.sin((2 * Math.PI * 5 * t) / stretch))
      errors.push(Math.abs(cents(hz, wanted)))
    })
    errors.sort((a, b) => a - b)
    expect(errors.length).toBeGreaterThan(40)
    // a tracker that reads 60 ms at once rounds a swing off by itself: as much as this at 0.6 ×
    expect(errors[errors.length >> 1] as number).toBeLessThan(stretch < 1 ? 6 : 2)
  })

  it.each([
    ['cry 2', 2, 0],
    ['cry 8', 0.8, 0],
    ['cry 7', 1, 12],
    ['chirp 2', 1.25, 0],
    ['chirp 3', 1, -5],
  ])('draws a glide as it is sung, however fast: %s, %d ×, %d st', (name, stretch, semitones) => {
    const [kind, number] = name.split(' ') as [ScoreKind, string]
    const { play } = drawnItem(kind, Number(number))
    const made = renderBlock(
      play(AS_WRITTEN).audio,
      recipe('cycle', { stretch, pitchSemitones: semitones, formants: 'move' }),
    )
    const ideal = play({ ...AS_WRITTEN, stretch, semitones })
    expect(spectralDistance(made, ideal.audio)).toBeLessThan(0.8)
  })

  it.each([0.8, 1, 2])('keeps notes apart: nothing sounds in the gap before a low one sets in, at %d ×', (stretch) => {
    for (const number of [1, 3]) {
      const { play } = drawnItem('bass', number)
      const source = play(AS_WRITTEN)
      const made = renderBlock(source.audio, recipe('cycle', { stretch, ...(stretch === 1 && { pitchSemitones: -5 }) }))
      const levelAt = (seconds: number) => {
        const from = Math.round(seconds * made.sampleRate)
        return rms((made.channels[0] as Float32Array).subarray(from - 0.008 * made.sampleRate, from))
      }
      // the first note has silence before it by itself
      for (const at of source.attacks.slice(1)) expect(levelAt(at * stretch), `${number}, ${at} s`).toBeLessThan(0.01)
    }
  })

  it('falls into step where a note sets in: no cycle of another length on the way', () => {
    const out = finish(trackPitch(rendered(sung(110, { from: 0.2 }), { stretch: 1.6 })))
    out.hz.forEach((hz, n) => {
      const t = (n * out.hopFrames) / RATE
      if (hz > 0 && t > 0.36 && t < 0.6) expect(Math.abs(cents(hz, 110)), `at ${t} s`).toBeLessThan(20)
    })
  })

  it('begins a lower voice with its attack: its pulses come one of its own periods apart from there on', () => {
    const f0 = 120
    const out = rendered(sung(f0, { from: 0.2 }), { pitchSemitones: -12, formants: 'keep' }).channels[0] as Float32Array
    const period = (2 * RATE) / f0
    const powerAt = (turn: number) => {
      let sum = 0
      for (let k = 2; k < 30; k++) {
        const middle = Math.round(0.2 * RATE + (k + turn) * period)
        sum += rms(out.subarray(middle - period / 8, middle + period / 8)) ** 2
      }
      return sum
    }
    expect(powerAt(0)).toBeGreaterThan(10 * powerAt(0.5))
  })

  it.each(['voice 1', 'voice 3', 'cluster 2', 'cry 1'])('draws %s lower or higher as it is sung there', (name) => {
    const [kind, number] = name.split(' ') as [ScoreKind, string]
    const { play } = drawnItem(kind, Number(number))
    const source = play(AS_WRITTEN).audio
    for (const semitones of [-12, -5, 5, 12]) {
      const made = renderBlock(source, recipe('cycle', { pitchSemitones: semitones, formants: 'keep' }))
      const ideal = play({ ...AS_WRITTEN, semitones, keepFormants: true }).audio
      expect(spectralDistance(made, ideal), `${semitones} st`).toBeLessThan(1.8)
      const lower = loudnessOf(made) - loudnessOf(ideal)
      if (semitones < 0) expect(Math.abs(lower), `${semitones} st`).toBeLessThan(0.3)
    }
  })

  it.each([0.6, 1.5, 4])('lets a blow die away and a note set in as they were played, at %d ×', (stretch) => {
    const noise = createRandom(3)
    const samples = sung(130, { seconds: 1, from: 0.5 }).channels[0] as Float32Array
    for (let i = 0; i < 0.03 * RATE; i++) {
      samples[0.2 * RATE + i] = 0.5 * (2 * noise() - 1) * Math.exp(-i / RATE / 0.006)
    }
    const out = rendered({ sampleRate: RATE, channels: [samples] }, { stretch }).channels[0] as Float32Array
    const dbBehind = (of: Float32Array, at: number, seconds: number) => {
      const from = Math.round((at + seconds) * RATE)
      return 20 * Math.log10(rms(of.subarray(from, from + 0.005 * RATE)) + 1e-4)
    }
    for (const after of [0, 0.005, 0.01, 0.02]) {
      for (const at of [0.2, 0.5]) {
        const apart = dbBehind(out, at * stretch, after) - dbBehind(samples, at, after)
        expect(Math.abs(apart), `${after} s behind ${at} s`).toBeLessThan(3)
      }
    }
  })

  it.each([0.006, 0.012, 0.03])(
    'lets breath fade as it does: no piece is louder than its place, %d s at 10 ×',
    (fade) => {
      const noise = createRandom(5)
      const samples = new Float32Array(RATE)
      for (let i = 0; i < RATE; i++)
        samples[i] = 0.5 * (2 * noise() - 1) * Math.exp(-Math.max(0, i / RATE - 0.4) / fade)
      const out = rendered({ sampleRate: RATE, channels: [samples] }, { stretch: 10 }).channels[0] as Float32Array
      const hop = 0.015 * RATE
      let least = Number.POSITIVE_INFINITY
      for (let at = 4 * RATE; at < (4 + 70 * fade) * RATE; at += hop) {
        const level = 20 * Math.log10(rms(out.subarray(at, at + hop)) + 1e-5)
        expect(level - least, `at ${at / RATE} s`).toBeLessThan(1.5)
        least = Math.min(least, level)
      }
    },
  )
})
