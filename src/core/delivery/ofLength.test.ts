import { expect, it } from 'vitest'
import { soundSource } from '../audio/soundSource'
import { block } from '../testing/signals'
import { ofLength } from './ofLength'

const source = soundSource(block(44_100, 2, 44_100, (i, c) => (i + 1) * (c === 0 ? 1e-5 : -1e-5)))
const all = (of: typeof source, step: number) => {
  const parts: number[] = []
  for (let at = 0; at < of.frames; at += step)
    parts.push(...(of.part(at, Math.min(of.frames, at + step)).channels[0] as Float32Array))
  return parts
}

it('leaves a sound of that length as it is', () => {
  expect(ofLength(source, 44_100)).toBe(source)
})

it('puts silence behind, to the frame, and changes nothing before', () => {
  const longer = ofLength(source, 50_000)
  const samples = all(longer, 7000)
  expect(samples).toHaveLength(50_000)
  expect(samples.slice(0, 44_100)).toEqual([...(source.part(0, 44_100).channels[0] as Float32Array)])
  expect(samples.slice(44_100).every((value) => value === 0)).toBe(true)
})

it('cuts with a fade of 5 ms and nothing before it, in parts of any size', () => {
  const shorter = ofLength(source, 20_000)
  const samples = all(shorter, 999)
  expect(samples).toEqual(all(shorter, 20_000))
  expect(samples.slice(0, 19_700)).toEqual([...(source.part(0, 19_700).channels[0] as Float32Array)])
  expect(Math.abs(samples.at(-1) as number)).toBeLessThan(0.002)
})

it('is refused where that is no length', () => {
  for (const frames of [0, 1.5, Number.NaN]) expect(() => ofLength(source, frames)).toThrow(RangeError)
})
