import type { AudioBlock } from '../audio/block'
import { square } from '../dsp/portable'

/** so many steps of time to a window */
const STEPS = 64
/** so many windows behind an attack are known: a ratio of an octave and a half down reads no farther */
const KNOWN_WINDOWS = 3
/** power is taken over so many steps to each side: it is that of a noise as well */
const SMOOTHED = 8
/** nothing is made louder or softer by more than this */
const MOST_GAIN = 4

/**
 * What an attack brings dies away too soon, or too late, where it is read at another pace than it should be. A gain
 * over time makes up for it. What goes on under the attack has its part in the power, and so in the gain.
 *
 * @param length  frames of a window, which is what is read at another pace.
 */
export function createAttackLevel(source: AudioBlock, length: number) {
  const known = new Map<number, Float64Array>()
  const step = length / STEPS

  /** The mean power of the source around each step behind an attack. */
  function powersOf(attack: number): Float64Array {
    const powers = new Float64Array(KNOWN_WINDOWS * STEPS)
    for (let n = 0; n < powers.length; n++) {
      const from = Math.max(0, Math.round(attack + n * step))
      const to = Math.round(attack + (n + 1) * step)
      for (const channel of source.channels)
        for (let i = from; i < Math.min(channel.length, to); i++)
          powers[n] = (powers[n] as number) + square(channel[i] as number)
    }
    return powers.map((_, n) => {
      const around = powers.subarray(Math.max(0, n - SMOOTHED), n + SMOOTHED + 1)
      return around.reduce((sum, value) => sum + value, 0) / around.length
    })
  }

  /**
   * @param attack  source frame
   * @param ratio  how many times as fast as it should be the source is read behind it
   * @returns the gain by frames behind the attack; 1 before it
   */
  return (attack: number, ratio: number): ((behind: number) => number) => {
    const powers = known.get(attack) ?? powersOf(attack)
    known.set(attack, powers)
    const powerAt = (behind: number) => {
      const x = Math.min(powers.length - 1, behind / step)
      const n = Math.floor(x)
      const power = powers[n] as number
      return power + (x - n) * ((powers[n + 1] ?? power) - power)
    }
    return (behind) => {
      const read = behind > 0 ? powerAt(behind) : 0
      if (read === 0) return 1
      return Math.min(MOST_GAIN, Math.max(1 / MOST_GAIN, Math.sqrt(powerAt(behind / ratio) / read)))
    }
  }
}
