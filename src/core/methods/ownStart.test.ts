import { describe, expect, it } from 'vitest'
import { renderBlock } from '../render/renderTask'
import { recipe } from '../testing/recipes'
import { chord } from '../testing/signals'
import type { Voice } from './method'
import { ownStart } from './ownStart'

const RATE = 48_000
const constant = (value: number): Voice => ({
  read: (_, out) => {
    for (const channel of out) channel.fill(value)
  },
})
const source = { sampleRate: RATE, channels: [new Float32Array(RATE), new Float32Array(RATE).fill(0.5)] }
const read = (voice: Voice, frame: number, count: number) => {
  const out = [new Float32Array(count), new Float32Array(count)]
  voice.read(frame, out)
  return out as [Float32Array, Float32Array]
}

describe('a start of its own', () => {
  it('is the first sample of the source, and three milliseconds later what the voice gives', () => {
    const [left, right] = read(ownStart(source, constant(0.5)), 0, 400)
    expect(left[0]).toBe(0)
    for (let i = 1; i < 400; i++) expect(left[i]).toBeGreaterThanOrEqual(left[i - 1] as number)
    expect(left[143]).toBeCloseTo(0.5, 3)
    expect(left[200]).toBe(0.5)
    // a channel without a step passes as it is
    expect(right.every((value) => value === 0.5)).toBe(true)
  })

  it('does not depend on how it is read, and is there only for a reading from the start', () => {
    const whole = read(ownStart(source, constant(0.3)), 0, 300)[0]
    const voice = ownStart(source, constant(0.3))
    const parts = [1, 7, 64, 128, 100].reduce<{ at: number; got: number[] }>(
      ({ at, got }, count) => ({ at: at + count, got: [...got, ...read(voice, at, count)[0]] }),
      { at: 0, got: [] },
    )
    expect(Float32Array.from(parts.got)).toEqual(whole)
    expect(read(voice, 20, 10)[0].every((value) => value === Math.fround(0.3))).toBe(true)
  })

  it('lets a chord that begins at once begin without a step at any stretch', () => {
    const tones = chord({ hz: [220, 277, 330], seconds: 1.5 })
    const first = tones.channels[0]?.[0] as number
    for (const stretch of [0.5, 0.8, 3]) {
      const made = renderBlock(tones, recipe('vocoder', { stretch }))
      expect(made.channels[0]?.[0]).toBeCloseTo(first, 6)
    }
  })
})
