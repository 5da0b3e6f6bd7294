import { describe, expect, it } from 'vitest'
import { createRandom, gaussian } from '../dsp/random'
import { type ColumnReader, columnKernel, columnReader, columnTwin, type PairSpectrum } from './columns'

const noise = (seed: number, length: number, level = 0.3) => {
  const random = createRandom(seed)
  return Float32Array.from({ length }, () => level * gaussian(random))
}

const empty = (size: number): PairSpectrum => ({
  left: new Float32Array(size / 2 + 1),
  right: new Float32Array(size / 2 + 1),
  crossRe: new Float32Array(size / 2 + 1),
  crossIm: new Float32Array(size / 2 + 1),
})

/** Largest difference between two readings, in dB under the largest value. */
function apartDb(got: Float32Array, wanted: Float32Array, top: number): number {
  const most = got.reduce((m, value, k) => Math.max(m, Math.abs(value - (wanted[k] as number))), 0)
  return 10 * Math.log10(most / top)
}

describe('the column kernel', () => {
  it.each([16, 64, 2048, 1 << 15])('agrees with its twin to a millionth of the largest power, at %d', (size) => {
    const kernel = columnKernel(size) as ColumnReader
    const twin = columnTwin(size)
    const a = noise(1, 2 * size)
    const b = noise(2, 2 * size)
    // inside, over either end, and beyond
    for (const start of [0, 5, -size / 2, 2 * size - 7, 3 * size]) {
      const power = [new Float32Array(size / 2 + 1), new Float32Array(size / 2 + 1)] as const
      kernel.power(power[0], a, start, b, start - 3)
      twin.power(power[1], a, start, b, start - 3)
      const top = Math.max(1e-20, ...power[1])
      expect(apartDb(power[0], power[1], top)).toBeLessThan(-60)
      const [got, wanted] = [empty(size), empty(size)]
      kernel.cross(got, a, start, b, start - 3)
      twin.cross(wanted, a, start, b, start - 3)
      for (const part of ['left', 'right', 'crossRe', 'crossIm'] as const)
        expect(apartDb(got[part], wanted[part], top)).toBeLessThan(-60)
    }
  })

  it('has a lone signal beside silence', () => {
    const columns = columnReader(512)
    const a = noise(3, 512)
    const pair = empty(512)
    columns.cross(pair, a, 0, undefined, 0)
    const power = new Float32Array(257)
    columns.power(power, a, 0, undefined, 0)
    const top = Math.max(...power)
    expect(apartDb(power, pair.left, top)).toBeLessThan(-60)
    expect(Math.max(...pair.right)).toBeLessThan(1e-9 * top)
  })

  it('holds the same energy as the windowed frames', () => {
    const size = 1024
    const a = noise(4, size)
    const power = new Float32Array(size / 2 + 1)
    columnReader(size).power(power, a, 0, undefined, 0)
    let energy = 0
    a.forEach((value, i) => {
      energy += (value * (0.5 - 0.5 * Math.cos((2 * Math.PI * i) / size))) ** 2
    })
    // four times the power, of one side only but at its ends
    const sum = power.reduce((s, value, k) => s + (k === 0 || k === size / 2 ? value : 2 * value), 0) / 4 / size
    expect(sum / energy).toBeCloseTo(1, 5)
  })

  it('takes what is no number for silence, as it takes what is next to nothing', () => {
    const size = 64
    const signal = noise(3, size)
    const damaged = signal.map((value, i) => (i % 9 === 4 ? Number.NaN : value))
    const mended = signal.map((value, i) => (i % 9 === 4 ? 0 : value))
    const kernel = columnKernel(size) as ColumnReader
    const [got, wanted] = [empty(size), empty(size)]
    kernel.cross(got, damaged, 0, mended, 0)
    kernel.cross(wanted, mended, 0, mended, 0)
    expect(got).toEqual(wanted)
  })
})
