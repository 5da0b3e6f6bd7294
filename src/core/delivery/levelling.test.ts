import { describe, expect, it } from 'vitest'
import { type AudioBlock, frameCount } from '../audio/block'
import { soundSource } from '../audio/soundSource'
import { demoMakers } from '../demo/sounds'
import { createRandom } from '../dsp/random'
import { createLoudnessMeter } from '../measure/loudness'
import { finish } from '../task'
import { block } from '../testing/signals'
import { levelledReader, levelTask } from './levelling'

const TAPS = 64
const POINTS = 16
const weights = Array.from({ length: POINTS - 1 }, (_, p) =>
  Float64Array.from({ length: 2 * TAPS }, (_, k) => {
    const x = k + 1 - TAPS - (p + 1) / POINTS
    return (Math.cos((Math.PI * x) / (2 * TAPS + 2)) ** 2 * Math.sin(Math.PI * x)) / (Math.PI * x)
  }),
)

/** The highest level between samples by a second way: a long windowed sinc at sixteen points. */
function plainTruePeakDb({ channels }: AudioBlock): number {
  let peak = 0
  for (const samples of channels) for (const value of samples) peak = Math.max(peak, Math.abs(value))
  const near = peak * 0.7
  for (const channel of channels) {
    const samples = new Float32Array(channel.length + 4 * TAPS)
    samples.set(channel, 2 * TAPS)
    for (let i = 2 * TAPS - 1; i < channel.length + 2 * TAPS; i++) {
      if (Math.max(Math.abs(samples[i] as number), Math.abs(samples[i + 1] as number)) < near) continue
      for (const row of weights) {
        let sum = 0
        for (let k = 0; k < 2 * TAPS; k++) sum += (samples[i + 1 - TAPS + k] as number) * (row[k] as number)
        peak = Math.max(peak, Math.abs(sum))
      }
    }
  }
  return 20 * Math.log10(peak)
}

function levelled(audio: AudioBlock, lufs: number, ceilingDb: number, blockFrames = 4096) {
  const source = soundSource(audio)
  const found = finish(levelTask(source, { kind: 'loudness', lufs, ceilingDb }))
  return { found, out: readAll(audio, found, blockFrames) }
}

function readAll(audio: AudioBlock, found: { gain: number; ceiling?: number }, blockFrames: number): AudioBlock {
  const read = levelledReader(soundSource(audio), found)
  const frames = frameCount(audio)
  const out = { sampleRate: audio.sampleRate, channels: audio.channels.map(() => new Float32Array(frames)) }
  for (let at = 0; at < frames; at += blockFrames) {
    const end = Math.min(frames, at + blockFrames)
    read(at, end).forEach((channel, c) => {
      out.channels[c]?.set(channel, at)
    })
  }
  return out
}

const loudness = (audio: AudioBlock) => {
  const meter = createLoudnessMeter(audio.sampleRate, audio.channels.length)
  meter.add(audio.channels, frameCount(audio))
  return meter.finish()
}

const noisy = (seed: number) => {
  const random = createRandom(seed)
  return block(44_100, 2, 44_100, (i) => (i % 11_025 < 300 ? 1 : 0.1) * (random() - 0.5))
}
/** two seconds tell as much as all of it */
function shortened({ sampleRate, channels }: AudioBlock): AudioBlock {
  return { sampleRate, channels: channels.map((channel) => channel.slice(0, 2 * sampleRate)) }
}
const between = block(48_000, 1, 48_000, (i) => 0.5 * Math.sin((Math.PI / 2) * i + Math.PI / 4))

const sounds: [string, AudioBlock][] = [
  ['hits of noise', noisy(5)],
  ['a tone whose peaks lie between samples', between],
  ...['rope-winch', 'harmonium', 'guide-line'].map((id): [string, AudioBlock] => {
    const { audio } = (demoMakers[id] as () => { audio: AudioBlock })()
    return [id, shortened(audio)]
  }),
]

describe('a sound brought to a loudness', () => {
  it.each(sounds)('is as loud as wanted and never over its ceiling: %s', (_, audio) => {
    for (const [lufs, ceilingDb] of [
      [-16, -1],
      [-14, -2],
    ] as const) {
      const { found, out } = levelled(audio, lufs, ceilingDb)
      expect(plainTruePeakDb(out)).toBeLessThanOrEqual(ceilingDb)
      expect(Math.abs(loudness(out) - lufs)).toBeLessThan(0.1)
      expect(found.after.lufs).toBeCloseTo(loudness(out), 2)
    }
  })

  it('is only turned up or down where its peaks leave room', () => {
    const { found, out } = levelled(between, -23, -1)
    expect(found.ceiling).toBeUndefined()
    out.channels[0]?.forEach((value, i) => {
      expect(value).toBeCloseTo((between.channels[0]?.[i] as number) * found.gain, 6)
    })
  })

  it('is the same in blocks of any length', () => {
    const { found, out } = levelled(noisy(5), -12, -1)
    expect(found.ceiling).toBeDefined()
    expect(found.heldDb).toBeGreaterThan(1)
    for (const frames of [7919, 100_000]) expect(readAll(noisy(5), found, frames)).toEqual(out)
  })

  it('says how near it came where no gain makes it so loud below the ceiling', () => {
    const click = block(44_100, 1, 44_100, (i) => (i === 20_000 ? 0.9 : 0))
    const { found, out } = levelled(click, -5, -1)
    expect(plainTruePeakDb(out)).toBeLessThanOrEqual(-1)
    expect(found.after.lufs).toBeLessThan(-6)
    expect(found.after.lufs).toBeCloseTo(loudness(out), 1)
  })

  it('stays silent where it is', () => {
    const { found, out } = levelled(
      block(44_100, 2, 44_100, () => 0),
      -16,
      -1,
    )
    expect(found.gain).toBe(1)
    expect(Math.max(...(out.channels[0] as Float32Array))).toBe(0)
  })
})

describe('a sound brought to its ceiling', () => {
  it.each(sounds)('has its highest level there, within a third of a decibel: %s', (_, audio) => {
    const found = finish(levelTask(soundSource(audio), { kind: 'peak', ceilingDb: -1 }))
    const peak = plainTruePeakDb(readAll(audio, found, 10_000))
    expect(peak).toBeLessThanOrEqual(-1)
    expect(peak).toBeGreaterThan(-1.35)
  })
})
