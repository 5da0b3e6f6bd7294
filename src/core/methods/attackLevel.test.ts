import { describe, expect, it } from 'vitest'
import { block } from '../testing/signals'
import { createAttackLevel } from './attackLevel'

const RATE = 48_000
const LENGTH = 4096
const ATTACK = 10_000
/** what dies away by so many dB a second from an attack on, beside something that is there all the time */
const dying = (dbPerSecond: number, under = 0) =>
  block(RATE, 2, RATE, (i) => {
    const since = (i - ATTACK) / RATE
    const wave = i % 2 === 0 ? 1 : -1
    return wave * (under + (since < 0 ? 0 : 10 ** ((-dbPerSecond * since) / 20)))
  })
const db = (gain: number) => 20 * Math.log10(gain)

describe('the level behind an attack that is read at another pace', () => {
  it('makes up for what is read too far, or not far enough, into what dies away', () => {
    for (const ratio of [0.5, 0.75, 1.5, 2]) {
      const gain = createAttackLevel(dying(120), LENGTH)(ATTACK, ratio)
      for (const behind of [1500, 2500, 3500]) {
        const wanted = 120 * (behind / RATE) * (1 - 1 / ratio)
        expect(Math.abs(db(gain(behind)) - wanted), `${ratio}, ${behind}`).toBeLessThan(0.3)
      }
      expect(gain(-100)).toBe(1)
    }
  })

  it('is left as it is where nothing dies away, at its own pace, and in silence, and is never much', () => {
    expect(createAttackLevel(dying(200), LENGTH)(ATTACK, 1)(500)).toBeCloseTo(1, 9)
    expect(createAttackLevel(dying(0), LENGTH)(ATTACK, 2)(500)).toBeCloseTo(1, 2)
    expect(db(createAttackLevel(dying(200, 10), LENGTH)(ATTACK, 2)(1500))).toBeLessThan(0.5)
    expect(createAttackLevel(dying(0), LENGTH)(2 * RATE, 2)(500)).toBe(1)
    for (const ratio of [0.5, 2]) {
      const gain = createAttackLevel(dying(2000), LENGTH)(ATTACK, ratio)
      for (let behind = 1; behind < 2 * LENGTH; behind += 50) expect(Math.abs(db(gain(behind)))).toBeLessThan(12.1)
    }
  })
})
