import { describe, expect, it } from 'vitest'
import { type AudioBlock, frameCount, peakOf } from '../audio/block'
import { soundSource } from '../audio/soundSource'
import { demoMakers } from '../demo/sounds'
import { imprinted, imprintFrames } from './imprint'
import { type Imprint, PLAIN_IMPRINT } from './order'
import { comingsOf, promiseOf } from './promise'
import { sideOf } from './side'

const RATE = 48_000
const demo = (name: string) => (demoMakers[name] as () => { audio: AudioBlock })().audio
const side = (audio: AudioBlock) => sideOf(soundSource(audio))
const part = (audio: AudioBlock, seconds: number): AudioBlock => ({
  ...audio,
  channels: audio.channels.map((channel) => channel.subarray(0, Math.round(seconds * audio.sampleRate))),
})

const rhythm = part(demo('rope-winch'), 2)
const body = part(demo('harmonium'), 3)
const by = (over: Partial<Imprint>): Imprint => ({ ...PLAIN_IMPRINT, ...over })

/** Loudness every 20 ms, dB, plain: nothing of what made it. */
function courseOf(audio: AudioBlock, frames: number): number[] {
  const step = Math.round(0.02 * RATE)
  return Array.from({ length: Math.floor(frames / step) }, (_, n) => {
    let sum = 0
    for (const channel of audio.channels) for (let i = n * step; i < (n + 1) * step; i++) sum += (channel[i] ?? 0) ** 2
    return Math.sqrt(sum / step)
  })
}

function correlation(a: readonly number[], b: readonly number[]): number {
  const mean = (values: readonly number[]) => values.reduce((sum, value) => sum + value, 0) / values.length
  const [ma, mb] = [mean(a), mean(b)]
  let [ab, aa, bb] = [0, 0, 0]
  a.forEach((value, n) => {
    const [x, y] = [value - ma, (b[n] as number) - mb]
    ab += x * y
    aa += x * x
    bb += y * y
  })
  return ab / Math.sqrt(aa * bb)
}

const rmsDb = ({ channels }: AudioBlock, frames: number) => {
  let sum = 0
  for (const channel of channels) for (let i = 0; i < frames; i++) sum += (channel[i] ?? 0) ** 2
  return 10 * Math.log10(sum / frames / channels.length)
}

describe('an imprint', () => {
  for (const bands of [1, 24])
    it(`lays the rhythm's loudness on the body: ${bands} bands`, () => {
      const made = imprinted(side(body), side(rhythm), by({ bands }))
      const frames = frameCount(rhythm)
      expect(correlation(courseOf(made, frames), courseOf(rhythm, frames))).toBeGreaterThan(0.9)
      // the body alone has another course
      expect(correlation(courseOf(body, frames), courseOf(rhythm, frames))).toBeLessThan(0.5)
      // a shorter rhythm goes round
      const again = courseOf(made, frameCount(body)).slice(frames / (0.02 * RATE))
      expect(correlation(again, courseOf(rhythm, frames).slice(0, again.length))).toBeGreaterThan(0.85)
    })

  for (const kind of ['bands', 'columns', 'whole'] as const) {
    it(`is as loud as the body, as long as it should be, and the body itself at 0 %: ${kind}`, () => {
      const own = by({ by: kind })
      const short = part(rhythm, 1)
      const made = imprinted(side(part(body, 3)), side(short), own)
      expect(frameCount(made)).toBe(imprintFrames(side(part(body, 3)), side(short), own))
      expect(frameCount(made)).toBe(kind === 'whole' ? 3 * RATE + RATE - 1 : 3 * RATE)
      const louder = rmsDb(made, 3 * RATE) - rmsDb(body, 3 * RATE)
      expect(louder).toBeLessThan(1)
      // only peaks that would be over full scale hold it down
      if (peakOf(made.channels) < 0.88) expect(louder).toBeGreaterThan(-1)
      expect(peakOf(made.channels)).toBeLessThan(0.9)
      const none = imprinted(side(part(body, 3)), side(short), by({ by: kind, amountPercent: 0 }))
      expect(none.channels.every((channel, c) => channel.every((value, i) => value === body.channels[c]?.[i]))).toBe(
        true,
      )
    })
  }

  it('convolves as a plain sum does', () => {
    const a: AudioBlock = { sampleRate: RATE, channels: [Float32Array.from({ length: 300 }, (_, i) => Math.sin(i))] }
    const b: AudioBlock = { sampleRate: RATE, channels: [Float32Array.from({ length: 70 }, (_, i) => Math.cos(i * i))] }
    const made = imprinted(side(a), side(b), by({ by: 'whole' })).channels[0] as Float32Array
    const plain = Float64Array.from({ length: 369 }, (_, n) => {
      let sum = 0
      for (let k = 0; k < 70; k++) sum += (b.channels[0]?.[k] as number) * (a.channels[0]?.[n - k] ?? 0)
      return sum
    })
    const scale = (made[150] as number) / (plain[150] as number)
    expect(made.every((value, n) => Math.abs(value - scale * (plain[n] as number)) < 1e-4)).toBe(true)
  })

  it('changes little by little with the amount', () => {
    const frames = frameCount(rhythm)
    const alike = [0, 50, 100].map((amountPercent) =>
      correlation(
        courseOf(imprinted(side(part(body, 2)), side(rhythm), by({ amountPercent })), frames),
        courseOf(rhythm, frames),
      ),
    )
    expect(alike[1]).toBeGreaterThan(alike[0] as number)
    expect(alike[2]).toBeGreaterThan(alike[1] as number)
  })

  it('says which pairs promise most: one with rhythm, one sustained', () => {
    const known = new Map<string, ReturnType<typeof comingsOf>>()
    const of = (name: string) => {
      const own = known.get(name) ?? comingsOf(demo(name))
      known.set(name, own)
      return own
    }
    const good = promiseOf(of('rope-winch'), of('harmonium')).promise
    expect(good).toBeGreaterThan(0.5)
    for (const [a, b] of [
      ['harmonium', 'rope-winch'],
      ['rain-on-tin', 'harmonium'],
      ['rope-winch', 'hull-knocks'],
    ] as const)
      expect(promiseOf(of(a), of(b)).promise, `${a} on ${b}`).toBeLessThan(good)
  })
})
