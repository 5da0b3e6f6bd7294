import { describe, expect, it } from 'vitest'
import { createRandom, gaussian } from '../dsp/random'
import { likenessKernel, likenessTwin } from './likeness'

describe('the likeness kernel', () => {
  const both = (length: number, lags: number) => {
    const kernel = likenessKernel(length, lags)
    if (!kernel) throw new Error('there are no kernels here')
    return [kernel, likenessTwin(length, lags)]
  }

  /** Lay the same into both and find; a second time, after something else, it is the same again. */
  function found(length: number, mostLags: number, lags: number, at: (i: number) => number, of: (i: number) => number) {
    return both(length, mostLags).map((search) => {
      const find = () => {
        for (let i = 0; i < search.region.length; i++) search.region[i] = at(i)
        for (let i = 0; i < length; i++) search.template[i] = of(i)
        return search.find(lags)
      }
      const first = find()
      search.region.fill(1)
      search.template.fill(-1)
      search.find(mostLags)
      expect(find()).toEqual(first)
      return first
    })
  }

  it.each([
    [64, 9],
    [512, 800],
    [1023, 882],
    [3528, 881],
  ])('finds the place that a template of %d frames was taken from, as its twin does, among %d lags', (length, lags) => {
    const random = createRandom(length)
    const samples = Array.from({ length: length + lags }, () => gaussian(random))
    const place = Math.round(0.37 * lags)
    const noisy = (i: number) => (samples[place + i] as number) + 0.2 * Math.sin(i)
    const [kernel, twin] = found(length, lags, lags, (i) => samples[i] as number, noisy) as [
      { lag: number; value: number },
      { lag: number; value: number },
    ]
    expect(kernel.lag).toBe(place)
    expect(twin.lag).toBe(place)
    // −100 dB and better
    expect(Math.abs(kernel.value / twin.value - 1)).toBeLessThan(1e-5)
  })

  it('looks no further than it is asked to', () => {
    const random = createRandom(3)
    const samples = Array.from({ length: 1500 }, () => gaussian(random))
    for (const { lag } of found(
      500,
      1000,
      300,
      (i) => samples[i] as number,
      (i) => samples[i + 700] as number,
    )) {
      expect(lag).toBeGreaterThanOrEqual(0)
      expect(lag).toBeLessThanOrEqual(300)
    }
  })

  it.each([
    ['silence', () => 0],
    ['what is too faint to count', () => 1e-38],
    ['what is unlike everywhere', (i: number) => (i % 2 === 0 ? 1 : -1)],
  ])('finds no place in %s', (_, at) => {
    const results = found(256, 100, 99, at, (i) => (i < 2 ? 0 : 1e-30))
    expect(results).toEqual([
      { lag: -1, value: 0 },
      { lag: -1, value: 0 },
    ])
  })

  it('takes what is no number for silence, and full scale as it is', () => {
    const values = [0, 1, -1, Number.NaN, 1e-42]
    const random = createRandom(9)
    const draws = Array.from({ length: 700 }, () => values[Math.floor(5 * random())] as number)
    const clean = draws.map((value) => (Number.isNaN(value) ? 0 : value))
    const [kernel] = found(
      300,
      400,
      400,
      (i) => draws[i] as number,
      (i) => clean[i + 123] as number,
    )
    const [, twin] = found(
      300,
      400,
      400,
      (i) => clean[i] as number,
      (i) => clean[i + 123] as number,
    )
    expect(kernel?.lag).toBe(123)
    expect(twin?.lag).toBe(123)
  })
})
