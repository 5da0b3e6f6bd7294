import { describe, expect, it } from 'vitest'
import { frameCount } from '../audio/block'
import { sine } from '../testing/signals'
import { straightMap } from '../timeline/timeMap'
import { atSourcePitch } from './atSourcePitch'
import type { Comparison } from './comparison'

const compared = (hz: number, pitchRatioAt: (at: number) => number, formantRatioAt = pitchRatioAt): Comparison => {
  const source = sine({ hz: 440, seconds: 1 })
  const result = sine({ hz, seconds: 1 })
  return { source, result, from: 0, map: straightMap(frameCount(source), 1), pitchRatioAt, formantRatioAt }
}

describe('a result brought back to its source’s pitch', () => {
  it.each([0.5, 0.749, 1.498, 2])('has the tone of the source, for as much longer as it was higher: × %d', (ratio) => {
    const comparison = compared(440 * ratio, () => ratio)
    const { audio, ratio: found } = atSourcePitch(comparison) as NonNullable<ReturnType<typeof atSourcePitch>>
    expect(found).toBe(ratio)
    const [got] = audio.channels as [Float32Array]
    const [want] = sine({ hz: 440, seconds: 3 }).channels as [Float32Array]
    expect(got.length).toBe(Math.round(frameCount(comparison.result) * ratio))
    let off = 0
    for (let i = 200; i < got.length - 200; i++) off = Math.max(off, Math.abs((got[i] as number) - (want[i] as number)))
    expect(off).toBeLessThan(1e-3)
  })

  it('stays as it is where its pitch is the source’s, moves, or leaves the formants behind', () => {
    expect(atSourcePitch(compared(440, () => 1))).toBeUndefined()
    expect(atSourcePitch(compared(660, (at) => 1.5 + at / 1e6))).toBeUndefined()
    expect(
      atSourcePitch(
        compared(
          660,
          () => 1.5,
          () => 1,
        ),
      ),
    ).toBeUndefined()
  })
})
