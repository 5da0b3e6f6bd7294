import { describe, expect, it } from 'vitest'
import { downmixInto } from './downmix'

const FRAMES = 16
/** One loud channel among silent ones. */
const only = (channel: number, count: number) =>
  Array.from({ length: count }, (_, c) => new Float32Array(FRAMES).fill(c === channel ? 1 : 0))
const heard = (channels: readonly Float32Array[]) => {
  const left = new Float32Array(FRAMES).fill(9)
  const right = new Float32Array(FRAMES).fill(9)
  downmixInto(left, right, channels)
  return [left[3] as number, right[3] as number] as const
}

describe('any number of channels on two speakers', () => {
  it('passes one and two channels as they are', () => {
    expect(heard(only(0, 1))).toEqual([1, 1])
    expect(heard(only(0, 2))).toEqual([1, 0])
    expect(heard(only(1, 2))).toEqual([0, 1])
  })
  it.each([3, 4, 5, 6, 7, 8])(
    'cannot be overloaded by %d channels at full scale, and uses the room there is',
    (count) => {
      const all = Array.from({ length: count }, () => new Float32Array(FRAMES).fill(1))
      const [left, right] = heard(all)
      expect(left).toBeCloseTo(1, 6)
      expect(right).toBeCloseTo(1, 6)
    },
  )
  it.each([3, 4, 5, 6, 7, 8])('keeps left left and right right among %d', (count) => {
    const [ll, lr] = heard(only(0, count))
    const [rl, rr] = heard(only(1, count))
    expect(ll).toBeGreaterThan(0.2)
    expect(lr).toBe(0)
    expect(rr).toBeCloseTo(ll, 9)
    expect(rl).toBe(0)
  })
  it('puts the centre in the middle, 3 dB under the fronts, and leaves the low-frequency channel out', () => {
    const [cl, cr] = heard(only(2, 6))
    const [ll] = heard(only(0, 6))
    expect(cl).toBeCloseTo(cr, 9)
    expect(20 * Math.log10(cl / ll)).toBeCloseTo(-3.01, 1)
    expect(heard(only(3, 6))).toEqual([0, 0])
    expect(heard(only(3, 8))).toEqual([0, 0])
  })
})
