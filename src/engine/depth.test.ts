import { describe, expect, it } from 'vitest'
import { createRandom } from '../core/dsp/random'
import { createDepth } from './depth'

/**
 * A machine on which the writer gets a turn only now and then.
 * @param turns  seconds between turns, as they come.
 * @returns for each turn what was missing by then, seconds.
 */
function missing(turns: readonly number[], depth: { seconds(left: number | undefined, written: number): number }) {
  let ahead = depth.seconds(undefined, 0)
  let written = ahead
  return turns.map((turn) => {
    const left = ahead - turn
    const wanted = depth.seconds(Math.max(0, left), written)
    written = Math.max(0, wanted - Math.max(0, left))
    ahead = Math.max(0, left) + written
    return Math.max(0, -left)
  })
}

const busy = (seconds: number, count: number) => {
  const random = createRandom(5)
  return Array.from({ length: count }, () => 0.02 + seconds * random())
}

describe('how far ahead sound is written', () => {
  it('is little while turns come often', () => {
    const depth = createDepth()
    for (let n = 0; n < 1000; n++) expect(depth.seconds(0.08, 0.015)).toBeLessThan(0.1)
  })

  it('is more from the first time that it came near to running dry, so that hardly anything is missing again', () => {
    // turns of up to a third of a second: a machine that is busy with four other things
    const gaps = missing(busy(0.33, 2000), createDepth()).filter((seconds) => seconds > 0)
    expect(gaps.length).toBeLessThanOrEqual(4)
    const always = missing(busy(0.33, 2000), { seconds: () => 0.095 }).filter((seconds) => seconds > 0)
    expect(always.length).toBeGreaterThan(1000)
  })

  it('is little again once that is long past', () => {
    const depth = createDepth()
    expect(depth.seconds(0.01, 0)).toBeGreaterThan(0.3)
    for (let n = 0; n < 40; n++) depth.seconds(0.3, 1)
    expect(depth.seconds(0.3, 0.1)).toBeLessThan(0.1)
  })
})
