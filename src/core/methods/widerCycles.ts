import type { AudioBlock } from '../audio/block'
import { frameCount } from '../audio/block'
import { cosTurns, sinTurns } from '../dsp/portable'

/**
 * What cycles lack that are laid further apart than they lie in the source, while their formants stay. Between the
 * partials that they were made of come new ones, each the mean of its neighbours.
 */

/** wanted over own frequency, from which on cycles lie as they did */
export const WIDER_BELOW = 0.98
/** 3 dB: what is raised by more is no voice */
const MOST_RAISED = 1.41

interface CycleAround {
  /** the middle of the cycle, source frames */
  readonly mark: number
  /** source frames */
  readonly period: number
}

/** From the first to the last frame of a source that lies within a period of a mark. */
function spanOf(source: AudioBlock, { mark, period }: CycleAround): readonly [from: number, to: number] {
  return [Math.max(0, Math.ceil(mark - period)), Math.min(frameCount(source) - 1, Math.floor(mark + period))]
}

const hannAt = (turns: number) => 0.5 + 0.5 * cosTurns(turns / 2)

/**
 * The gain by which a cycle under its window is raised where it is laid each `wanted` source frames. The mean of two
 * partials has less power than both have, and a formant that lies between them is missed: by partials a cycle is as
 * loud as it was, by power it is softer. The middle is taken.
 */
export function powerKept(source: AudioBlock, cycle: CycleAround & { readonly wanted: number }): number {
  const { mark, period, wanted } = cycle
  const [from, to] = spanOf(source, cycle)
  const lag = Math.round(wanted)
  let before = 0
  let laid = 0
  const levelAt = (n: number) => hannAt((n - mark) / period)
  for (const channel of source.channels) {
    for (let n = from; n <= to; n++) {
      const value = (channel[n] as number) * levelAt(n)
      before += (channel[n] as number) * value
      laid += value * value
      for (let m = n + lag; m <= to; m += lag) laid += 2 * value * (channel[m] as number) * levelAt(m)
    }
  }
  if (laid <= 0) return 1
  const byPower = Math.sqrt(before / laid)
  return Math.sqrt(Math.max(1 / (MOST_RAISED * MOST_RAISED), Math.min(MOST_RAISED * MOST_RAISED, byPower)))
}

/**
 * How much of its first partial a cycle lacks at `overlap` times the frequency of that: one less what its window, a
 * Hann two periods long, has there. 0 at 1, a half at 0.5.
 */
export function lackOfFirst(overlap: number): number {
  const x = 2 * (1 - overlap)
  if (x < 1e-6) return 0
  return 1 - (Math.abs(x - 1) < 1e-6 ? 0.5 : sinTurns(x / 2) / (Math.PI * x * (1 - x * x)))
}

/**
 * Add the first partial of a cycle around `source` to a sum whose first frame is output frame `sumStart`: around
 * `output`, under a Hann two `spacing`s long, at the period `spacing`, as far in its turn at the middle as it is at the
 * mark.
 * @param firstLevel  against its level in the source.
 */
export function layFirst(
  sum: readonly Float32Array[],
  sumStart: number,
  sound: AudioBlock,
  at: {
    readonly source: number
    readonly period?: number
    readonly output: number
    readonly spacing: number
    readonly firstLevel?: number
  },
): void {
  const { source, output, spacing, period = spacing, firstLevel = 1 } = at
  const [from, to] = spanOf(sound, { mark: source, period })
  const start = Math.max(sumStart, Math.ceil(output - spacing))
  const end = Math.floor(output + spacing)
  sum.forEach((into, c) => {
    const channel = sound.channels[c] as Float32Array
    let re = 0
    let im = 0
    for (let n = from; n <= to; n++) {
      const turns = (n - source) / period
      const value = (channel[n] as number) * hannAt(turns)
      re += value * cosTurns(turns)
      im += value * sinTurns(turns)
    }
    const level = (2 * firstLevel) / period
    for (let n = start; n <= end; n++) {
      const turns = (n - output) / spacing
      const value = re * cosTurns(turns) + im * sinTurns(turns)
      into[n - sumStart] = (into[n - sumStart] as number) + level * value * hannAt(turns)
    }
  })
}
