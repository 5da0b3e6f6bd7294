import { describe, expect, it } from 'vitest'
import { createRandom } from '../dsp/random'
import { block } from '../testing/signals'
import { attackKinds, prepareAttackKinds } from './attackKinds'

const RATE = 44_100
const at = [0.5, 1.25, 2].map((seconds) => seconds * RATE)
/** What sounds since an attack goes on by this, over a chord that is there all the time. */
const sounds = (since: (seconds: number) => number) =>
  block(RATE, 2, 3 * RATE, (i) => {
    const seconds = i / RATE
    const chord = 0.02 * (Math.sin(2 * Math.PI * 220 * seconds) + Math.sin(2 * Math.PI * 277 * seconds))
    const last = at.filter((frame) => frame <= i).pop()
    return chord + (last === undefined ? 0 : since((i - last) / RATE))
  })
const random = createRandom(4)
const blow = () => random() - 0.5
const tone = (hz: number, seconds: number) => Math.sin(2 * Math.PI * hz * seconds)

describe('what an attack brings', () => {
  it('is struck where it dies away, ringing where a part of it rings on, held where it stays', () => {
    const kinds = {
      struck: sounds((t) => Math.exp(-40 * t) * blow()),
      ringing: sounds((t) => 0.3 * Math.exp(-60 * t) * blow() + 0.4 * Math.exp(-2 * t) * tone(410, t)),
      held: sounds((t) => 0.4 * Math.min(1, 200 * t) * tone(523, t)),
    }
    for (const [kind, source] of Object.entries(kinds))
      expect(attackKinds(source, at), kind).toEqual(Array(3).fill(kind))
  })

  it('is found again once it was looked at in steps', () => {
    const source = sounds((t) => Math.exp(-40 * t) * blow())
    const many = Array.from({ length: 100 }, (_, n) => 10 + 1200 * n)
    expect(prepareAttackKinds(source, at)).toBeUndefined()
    const steps = [...(prepareAttackKinds(source, many) ?? [])].length
    expect(steps).toBeGreaterThan(4)
    expect(prepareAttackKinds(source, many)).toBeUndefined()
    expect(attackKinds(source, many)).toHaveLength(100)
  })
})
