import { describe, expect, it } from 'vitest'
import { bandPower } from '../testing/plain'
import { project } from '../testing/tone'
import { createQuantiser, type Dither } from './sampleFormat'

const RATE = 44_100
const FRAMES = RATE * 2
const STEP = 2 ** -15

/** What rounding to 16 bits adds to a signal, in steps. */
function errorOf(signal: Float32Array, dither: Dither, sampleRate = RATE): Float32Array {
  const wholes = createQuantiser('16', { dither, seed: 3, sampleRate }).wholes([signal], signal.length)
  return Float32Array.from(wholes, (whole, i) => whole - (signal[i] as number) / STEP)
}
const mean = (values: Float32Array) => values.reduce((sum, value) => sum + value, 0) / values.length
const power = (values: Float32Array) => values.reduce((sum, value) => sum + value * value, 0) / values.length

describe('dither of 16 bits', () => {
  it.each(['flat', 'shaped'] as const)('has nothing to do with the signal where it is %s', (dither) => {
    const signal = Float32Array.from(
      { length: FRAMES },
      (_, i) => 2.3 * STEP * Math.sin((2 * Math.PI * 441 * i) / RATE),
    )
    // neither with its tone, nor with the distortion that plain rounding makes of it
    const shareAt = (error: Float32Array, hz: number) => {
      const found = project(error, (2 * Math.PI * hz) / RATE)
      return found.power / (found.power + found.residual)
    }
    for (const times of [1, 3, 5]) expect(shareAt(errorOf(signal, dither), 441 * times)).toBeLessThan(16 / FRAMES)
    expect(shareAt(errorOf(signal, 'none'), 441 * 3)).toBeGreaterThan(0.01)
  })

  it.each(['flat', 'shaped'] as const)(
    'is as loud wherever a level lies between two steps, and has no mean, where it is %s',
    (dither) => {
      const powers = [0.1, 0.25, 0.5, 0.8].map((share) => {
        const error = errorOf(new Float32Array(FRAMES).fill((7 + share) * STEP), dither)
        expect(Math.abs(mean(error))).toBeLessThan(0.02)
        return power(error)
      })
      expect(Math.max(...powers) / Math.min(...powers)).toBeLessThan(1.03)
    },
  )

  it('has the power of three plain roundings where it is flat', () => {
    const error = errorOf(new Float32Array(FRAMES).fill(0.1234), 'flat')
    expect(power(error)).toBeCloseTo(3 / 12, 2)
  })

  it('lies out of the way where it is shaped: less between 2 and 5 kHz, more above 15', () => {
    const signal = new Float32Array(FRAMES).fill(0.1234)
    const [flat, shaped] = [errorOf(signal, 'flat'), errorOf(signal, 'shaped')]
    const bandDb = (error: Float32Array, hz: number, sampleRate = RATE) =>
      10 * Math.log10(bandPower({ sampleRate, channels: [error] }, hz))
    expect(bandDb(shaped, 3500)).toBeLessThan(bandDb(flat, 3500) - 10)
    expect(bandDb(shaped, 17_000)).toBeGreaterThan(bandDb(flat, 17_000) + 5)
    // at a higher rate there is room above hearing
    const wide = (dither: Dither) => bandDb(errorOf(signal, dither, 96_000), 4000, 96_000)
    expect(wide('shaped')).toBeLessThan(wide('flat') - 10)
  })

  it('leaves digital silence silent', () => {
    for (const dither of ['flat', 'shaped'] as const) {
      const signal = new Float32Array(1000)
      signal[0] = 0.5
      expect(power(errorOf(signal, dither).subarray(1))).toBe(0)
    }
  })

  it('keeps what is limited out of what it shapes', () => {
    const signal = Float32Array.from({ length: 4000 }, (_, i) => (i < 2000 ? 1.5 : 0.25))
    const after = errorOf(signal, 'shaped').subarray(2000)
    expect(Math.max(...after.map(Math.abs))).toBeLessThan(15)
  })
})
