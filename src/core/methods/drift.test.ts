import { describe, expect, it } from 'vitest'
import { renderBlock } from '../render/renderTask'
import { recipe } from '../testing/recipes'
import { block, noise, sine } from '../testing/signals'
import { fitTone, rms } from '../testing/tone'

const RATE = 48_000
const rendered = (source: Parameters<typeof renderBlock>[0], settings: Record<string, number>, stretch = 12) =>
  renderBlock(source, recipe('drift', { stretch, settings })).channels.map((channel) =>
    channel.slice(Math.round(0.3 * channel.length), Math.round(0.7 * channel.length)),
  )

/** How far one stretch of sound is like what comes `lag` seconds later, 0–1, most over lags near it. */
function likeness(samples: Float32Array, fromSeconds: number, toSeconds: number): number {
  const size = 8192
  let most = 0
  for (let lag = Math.round(fromSeconds * RATE); lag < toSeconds * RATE; lag += 7) {
    let dot = 0
    let a = 0
    let b = 0
    for (let i = 0; i < size; i++) {
      const x = samples[i] as number
      const y = samples[i + lag] as number
      dot += x * y
      a += x * x
      b += y * y
    }
    most = Math.max(most, Math.abs(dot) / Math.sqrt(a * b))
  }
  return most
}

describe('spectral drift', () => {
  it('keeps a steady tone clear at full clarity and lets it haze at none', () => {
    const tone = sine({ hz: 440, seconds: 1 })
    const rest = (clarity: number) => fitTone(rendered(tone, { clarity })[0] as Float32Array, RATE, 440).residualDb
    expect(rest(100)).toBeLessThan(-40)
    expect(rest(0)).toBeGreaterThan(-10)
  })

  it('draws noise afresh, so that a moment held for long does not ring', () => {
    const source = noise({ seconds: 1, seed: 3 })
    const ringing = (freshPercent: number) => {
      // a moment of noise has its own peaks and dips, which a long stretch holds on to: the spread of its long-time spectrum
      const samples = rendered(source, { freshPercent, windowMs: 170 }, 30)[0] as Float32Array
      const levels: number[] = []
      for (let k = 0; k < 50; k++) {
        const hz = 1000 + k * 6
        let re = 0
        let im = 0
        let power = 0
        for (let part = 0; part < 8; part++) {
          re = 0
          im = 0
          for (let i = 0; i < 8192; i++) {
            const w = 0.5 - 0.5 * Math.cos((2 * Math.PI * i) / 8192)
            const x = w * (samples[part * 8192 + i] as number)
            re += x * Math.cos((2 * Math.PI * hz * i) / RATE)
            im += x * Math.sin((2 * Math.PI * hz * i) / RATE)
          }
          power += re * re + im * im
        }
        levels.push(10 * Math.log10(power))
      }
      const mean = levels.reduce((s, v) => s + v, 0) / levels.length
      return Math.sqrt(levels.reduce((s, v) => s + (v - mean) ** 2, 0) / levels.length)
    }
    expect(ringing(0)).toBeGreaterThan(ringing(100) + 0.8)
  })

  it('keeps the level of noise and does not repeat itself', () => {
    const source = noise({ seconds: 1, seed: 4 })
    const out = rendered(source, {})[0] as Float32Array
    expect(Math.abs(20 * Math.log10(rms(out) / rms(source.channels[0] as Float32Array)))).toBeLessThan(0.5)
    expect(likeness(out, 0.4, 0.6)).toBeLessThan(0.1)
  })

  it('keeps what lies alike in both channels alike, and one side only on its side', () => {
    const mono = noise({ seconds: 0.6, seed: 5 }).channels[0] as Float32Array
    const both = rendered(
      block(RATE, 2, mono.length, (i) => mono[i] as number),
      {},
    )
    expect(rms((both[0] as Float32Array).map((v, i) => v - (both[1]?.[i] as number)))).toBeLessThan(1e-5)
    const left = rendered(
      block(RATE, 2, mono.length, (i, c) => (c === 0 ? (mono[i] as number) : 0)),
      {},
    )
    expect(rms(left[1] as Float32Array)).toBeLessThan(1e-5 * rms(left[0] as Float32Array) + 1e-7)
  })
})
