import { describe, expect, it } from 'vitest'
import { type AudioBlock, frameCount } from '../audio/block'
import { createRandom } from '../dsp/random'
import { createLayers } from './layers'

const RATE = 48_000
const ATTACKS = [0.5, 1.3, 2.1].map((seconds) => seconds * RATE)

/** Noise of which a level over time is made: `levelAt` is told seconds, and seconds since the attack before. */
function noiseOf(levelAt: (t: number, since: number) => number, seed = 1): AudioBlock {
  const random = createRandom(seed)
  const samples = Float32Array.from({ length: 3 * RATE }, (_, i) => {
    const last = ATTACKS.filter((attack) => attack <= i).at(-1)
    const since = last === undefined ? Number.POSITIVE_INFINITY : (i - last) / RATE
    return (2 * random() - 1) * levelAt(i / RATE, since)
  })
  return { sampleRate: RATE, channels: [samples] }
}

/** How much of what lies between two moments behind each attack goes to the attacks, dB; and how much to the noise. */
function behind(audio: AudioBlock, from: number, to: number) {
  const layers = createLayers(audio, ATTACKS, 'power')
  layers.ensure(0, frameCount(audio))
  const power = (of: AudioBlock) => {
    let sum = 1e-12
    for (const attack of ATTACKS)
      for (let i = attack + from * RATE; i < attack + to * RATE; i++) sum += (of.channels[0]?.[Math.round(i)] ?? 0) ** 2
    return sum
  }
  const share = (of: AudioBlock) => 10 * Math.log10(power(of) / power(audio))
  return { attacks: share(layers.attacks), noise: share(layers.noise) }
}

describe('what attacks bring', () => {
  it('is a tail as long as it sounds, and nothing of it is noise', () => {
    const hits = noiseOf((_, since) => 0.5 * Math.exp(-since / 0.12))
    const tail = behind(hits, 0.15, 0.5)
    expect(tail.attacks).toBeGreaterThan(-1)
    expect(tail.noise).toBeLessThan(-15)
  })

  it('leaves alone what goes on under it', () => {
    const bed = noiseOf(() => 0.05, 7)
    const hits = noiseOf((_, since) => 0.5 * Math.exp(-since / 0.02))
    const both: AudioBlock = {
      sampleRate: RATE,
      channels: [Float32Array.from(hits.channels[0] as Float32Array, (v, i) => v + (bed.channels[0]?.[i] as number))],
    }
    const under = behind(both, 0.2, 0.6)
    expect(Math.abs(under.noise)).toBeLessThan(1)
    expect(under.attacks).toBeLessThan(-10)
  })

  it('is not what begins and stays', () => {
    const breaths = noiseOf((_, since) => (since < 0.7 ? 0.2 : 0))
    const staying = behind(breaths, 0.3, 0.55)
    expect(Math.abs(staying.noise)).toBeLessThan(1.5)
    expect(staying.attacks).toBeLessThan(-6)
  })

  it('is the same whichever part is asked for first', () => {
    const hits = noiseOf((t, since) => 0.03 + 0.01 * Math.sin(5 * t) + 0.5 * Math.exp(-since / 0.08))
    const whole = createLayers(hits, ATTACKS)
    whole.ensure(0, 3 * RATE)
    const parts = createLayers(hits, ATTACKS)
    for (const from of [2, 0, 1]) for (const _ of parts.prepare(from * RATE, (from + 1) * RATE)) void _
    expect(Buffer.from(whole.attacks.channels[0]?.buffer as ArrayBuffer)).toEqual(
      Buffer.from(parts.attacks.channels[0]?.buffer as ArrayBuffer),
    )
  })
})
