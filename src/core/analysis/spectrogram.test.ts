import { describe, expect, it } from 'vitest'
import type { AudioBlock } from '../audio/block'
import { finish } from '../task'
import { chord, noise, sine } from '../testing/signals'
import { LOWEST_DB, levelOf, type ReadFrames, type Spectrogram, spectrogramTask } from './spectrogram'

const readOf =
  (audio: AudioBlock): ReadFrames =>
  (frame, out) => {
    out.forEach((channel, c) => {
      for (let i = 0; i < channel.length; i++) channel[i] = audio.channels[c]?.[frame + i] ?? 0
    })
  }

const of = (audio: AudioBlock, part: { from: number; to: number }, columns = 40, fftFrames = 2048): Spectrogram =>
  finish(
    spectrogramTask(readOf(audio), part, {
      columns,
      fftFrames,
      sampleRate: audio.sampleRate,
      channels: audio.channels.length,
    }),
  )

const column = ({ levels, bins }: Spectrogram, n: number) => levels.subarray(n * bins, (n + 1) * bins)
const loudestBin = (levels: Uint8Array) => levels.indexOf(Math.max(...levels))

describe('a spectrogram', () => {
  it('has a sine in its bin at its level, in every column', () => {
    const hz = (48_000 / 2048) * 100
    for (const gain of [1, 0.1, 0.001]) {
      const tone = sine({ hz, seconds: 1 })
      const peak = tone.channels[0]?.reduce((most, value) => Math.max(most, Math.abs(value)), 0) ?? 1
      const scaled = { ...tone, channels: tone.channels.map((channel) => channel.map((v) => (v * gain) / peak)) }
      const made = of(scaled, { from: 4096, to: 40_000 })
      for (let n = 0; n < made.columns; n++) {
        const levels = column(made, n)
        expect(loudestBin(levels)).toBe(100)
        expect(Math.abs(levelOf(levels[100] as number) - 20 * Math.log10(gain))).toBeLessThan(0.6)
      }
    }
  })

  it('does not depend on how a sound is spread over its channels', () => {
    const mono = noise({ seconds: 1, seed: 4 })
    const both = { ...mono, channels: [mono.channels[0], mono.channels[0]] as Float32Array[] }
    const a = of(mono, { from: 0, to: 48_000 }, 20)
    const b = of(both, { from: 0, to: 48_000 }, 20)
    a.levels.forEach((level, i) => {
      expect(Math.abs(level - (b.levels[i] as number))).toBeLessThanOrEqual(1)
    })
  })

  it('shows a part as the whole does, only closer', () => {
    const tones = chord({ hz: [220, 700, 5000], seconds: 2 })
    const whole = of(tones, { from: 0, to: 96_000 }, 96)
    const part = of(tones, { from: 24_000, to: 48_000 }, 24)
    for (let n = 0; n < 24; n++) expect(column(part, n)).toEqual(column(whole, n + 24))
  })

  it('is empty in silence and beyond the ends', () => {
    const silent = of({ sampleRate: 48_000, channels: [new Float32Array(100)] }, { from: -9000, to: 9000 })
    expect(Math.max(...silent.levels)).toBe(0)
    expect(levelOf(0)).toBe(LOWEST_DB)
  })
})
