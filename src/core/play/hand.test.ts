import { describe, expect, it } from 'vitest'
import { type AudioBlock, silence } from '../audio/block'
import { noise, sine } from '../testing/signals'
import { createHand, type HandOrder } from './hand'

const RATE = 48_000
const order = (over: Partial<HandOrder> = {}): HandOrder => ({
  methodId: 'drift',
  settings: { windowMs: 85, clarity: 0 },
  semitones: 0,
  jitterMs: 6,
  spreadMs: 0,
  seed: 3,
  ...over,
})

function heard(
  source: AudioBlock,
  own: HandOrder,
  first: number,
  seconds: number,
  act?: (hand: ReturnType<typeof createHand>) => void,
) {
  const hand = createHand(source, own, first)
  act?.(hand)
  const out = silence(source.channels.length, Math.round(seconds * RATE))
  for (let at = 0; at < (out[0] as Float32Array).length; at += 128)
    hand.voice.read(
      at,
      out.map((channel) => channel.subarray(at, Math.min(channel.length, at + 128))),
    )
  return out[0] as Float32Array
}

/** How strongly loudness goes up and down at a rate, of what it does at all: by a plain sum over 5 ms steps. */
function modulationAt(samples: Float32Array, hz: number): number {
  const step = Math.round(0.005 * RATE)
  const course = Array.from({ length: Math.floor(samples.length / step) }, (_, n) =>
    Math.sqrt(samples.subarray(n * step, (n + 1) * step).reduce((sum, value) => sum + value * value, 0) / step),
  )
  const mean = course.reduce((sum, value) => sum + value, 0) / course.length
  let [re, im] = [0, 0]
  course.forEach((value, n) => {
    re += (value - mean) * Math.cos(2 * Math.PI * hz * n * 0.005)
    im += (value - mean) * Math.sin(2 * Math.PI * hz * n * 0.005)
  })
  return (2 * Math.hypot(re, im)) / course.length / mean
}

describe('a sound led by hand', () => {
  // low to high over two seconds: what is heard tells the place
  const ladder: AudioBlock = {
    sampleRate: RATE,
    channels: [
      Float32Array.from(
        { length: 2 * RATE },
        (_, i) => 0.3 * Math.sin(2 * Math.PI * (200 * (i / RATE) + 200 * (i / RATE) ** 2)),
      ),
    ],
  }
  const hzIn = (samples: Float32Array) => {
    let crossings = 0
    for (let i = 1; i < samples.length; i++)
      if ((samples[i - 1] as number) <= 0 && (samples[i] as number) > 0) crossings++
    return (crossings * RATE) / samples.length
  }
  const hzAt = (seconds: number) => 200 + 400 * seconds

  it('stays where it is held, and goes where it is led, backwards too, within 60 ms', () => {
    const samples = heard(ladder, order(), 0.3 * RATE, 3, (hand) => {
      hand.lead(RATE, 1.6 * RATE, 0.01 * RATE, 0)
      hand.lead(2 * RATE, 0.8 * RATE, 0.01 * RATE, -0.4)
    })
    expect(Math.abs(hzIn(samples.subarray(0.4 * RATE, 0.9 * RATE)) - hzAt(0.3))).toBeLessThan(40)
    // 60 ms behind the hand half of a window has turned
    expect(hzIn(samples.subarray(1.06 * RATE, 1.12 * RATE))).toBeGreaterThan(hzAt(1.2))
    expect(Math.abs(hzIn(samples.subarray(1.2 * RATE, 1.8 * RATE)) - hzAt(1.6))).toBeLessThan(40)
    // half a second behind it has gone back by 0.2 s
    expect(Math.abs(hzIn(samples.subarray(2.4 * RATE, 2.6 * RATE)) - hzAt(0.6))).toBeLessThan(50)
  })

  it('does not go up and down at the rate of its windows when it is held for a minute', () => {
    for (const source of [noise({ seconds: 2, seed: 4 }), sine({ hz: 330, seconds: 2 })]) {
      for (const own of [order(), order({ methodId: 'grain', settings: {}, jitterMs: 8 })]) {
        const samples = heard(source, own, RATE, 60)
        const hop = own.methodId === 'drift' ? 1024 / RATE : 0.02
        const at = [1 / hop, 2 / hop].map((hz) => modulationAt(samples, hz))
        const around = [0.83, 0.91, 1.13, 1.27].map((share) => modulationAt(samples, share / hop))
        // no more than beside it, where nothing repeats
        expect(Math.max(...at), own.methodId).toBeLessThan(Math.max(0.03, 3 * Math.max(...around)))
      }
    }
  }, 60_000)

  it('is heard on the left before, on the right behind the place, where it is spread', () => {
    const hand = createHand(ladder, order({ spreadMs: 400, jitterMs: 0 }), RATE)
    expect(hand.channelCount).toBe(2)
    const out = silence(2, RATE)
    for (let at = 0; at < RATE; at += 128)
      hand.voice.read(
        at,
        out.map((channel) => channel.subarray(at, Math.min(RATE, at + 128))),
      )
    const hz = out.map((channel) => hzIn(channel.subarray(0.3 * RATE, 0.9 * RATE)))
    expect(Math.abs((hz[0] as number) - hzAt(0.8))).toBeLessThan(40)
    expect(Math.abs((hz[1] as number) - hzAt(1.2))).toBeLessThan(40)
  })

  it('takes only methods that can be led, and never leaves the sound', () => {
    expect(() => createHand(ladder, order({ methodId: 'vocoder' }), 0)).toThrow(RangeError)
    const hand = createHand(ladder, order(), 0, -2)
    expect(hand.placeAt(RATE)).toBe(0)
    hand.lead(RATE, 1e9, 10, 2)
    expect(hand.placeAt(2 * RATE)).toBe(2 * RATE - 1)
  })
})
