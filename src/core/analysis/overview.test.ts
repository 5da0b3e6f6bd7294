import { describe, expect, it } from 'vitest'
import { noise } from '../testing/signals'
import { coarsen, createOverviewBuilder } from './overview'

function overviewOf(channels: readonly Float32Array[], block: number) {
  const frames = channels[0]?.length ?? 0
  const builder = createOverviewBuilder(frames)
  for (let at = 0; at < frames; at += block) {
    const part = channels.map((c) => c.subarray(at, at + block))
    builder.add(part, part[0]?.length ?? 0)
  }
  return builder.finish()
}

describe('an overview', () => {
  const { channels } = noise({ seconds: 0.1, seed: 6, channels: 2 })

  it('holds the extremes and the level of every run, whatever the blocks', () => {
    const { low, high, rms, framesPerBin } = overviewOf(channels, 333)
    expect(overviewOf(channels, 4096).low).toEqual(low)
    for (let bin = 0; bin < low.length; bin++) {
      const values = channels.flatMap((c) => [...c.subarray(bin * framesPerBin, (bin + 1) * framesPerBin)])
      expect(low[bin]).toBeCloseTo(Math.min(0, ...values), 6)
      expect(high[bin]).toBeCloseTo(Math.max(0, ...values), 6)
      expect(rms[bin]).toBeCloseTo(Math.sqrt(values.reduce((s, v) => s + v * v, 0) / values.length), 5)
    }
  })

  it('coarsened keeps the extremes', () => {
    const fine = overviewOf(channels, 4096)
    const coarse = coarsen(fine, 4)
    expect(coarse.framesPerBin).toBe(64)
    expect(Math.max(...coarse.high)).toBe(Math.max(...fine.high))
    expect(Math.min(...coarse.low)).toBe(Math.min(...fine.low))
    expect(coarse.low.length).toBe(Math.ceil(fine.low.length / 4))
  })

  it('of a very long sound stays within a million bins', () => {
    const builder = createOverviewBuilder(48_000 * 6000)
    expect(builder.finish().low.length).toBeLessThanOrEqual(2 ** 20)
  })
})
