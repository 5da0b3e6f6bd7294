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

/** a cycle under its window, one after the other */
let windowed = new Float64Array(1)

/** From the first to the last frame of a source that lies within a period of a mark. */
function spanOf(source: AudioBlock, { mark, period }: CycleAround): readonly [from: number, to: number] {
  return [Math.max(0, Math.ceil(mark - period)), Math.min(frameCount(source) - 1, Math.floor(mark + period))]
}

/**
 * Cosine and sine of half the turns from a frame on, one step after the other: by turning on, not by asking for each.
 * Those of the whole turns follow from them.
 */
function halfTurns(turns: number, step: number) {
  const stepCos = cosTurns(step / 2)
  const stepSin = sinTurns(step / 2)
  const half = {
    cos: cosTurns(turns / 2),
    sin: sinTurns(turns / 2),
    next() {
      const { cos, sin } = half
      half.cos = cos * stepCos - sin * stepSin
      half.sin = cos * stepSin + sin * stepCos
    },
  }
  return half
}

/**
 * The gain by which a cycle under its window is raised where it is laid each `wanted` source frames. The mean of two
 * partials has less power than both have, and a formant that lies between them is missed: by partials a cycle is as
 * loud as it was, by power it is softer. The middle is taken.
 */
export function powerKept(source: AudioBlock, cycle: CycleAround & { readonly wanted: number }): number {
  const { mark, period, wanted } = cycle
  const [from, to] = spanOf(source, cycle)
  const lag = Math.round(wanted)
  if (windowed.length <= to - from) windowed = new Float64Array(2 * (to - from + 1))
  let before = 0
  let laid = 0
  for (const channel of source.channels) {
    const half = halfTurns((from - mark) / period, 1 / period)
    for (let n = from; n <= to; n++, half.next()) {
      const value = (channel[n] as number) * (0.5 + 0.5 * half.cos)
      before += (channel[n] as number) * value
      laid += value * value
      windowed[n - from] = value
    }
    for (let apart = lag; apart <= to - from; apart += lag) {
      let product = 0
      for (let n = apart; n <= to - from; n++) product += (windowed[n] as number) * (windowed[n - apart] as number)
      laid += 2 * product
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
  const start = Math.ceil(output - spacing)
  const end = Math.floor(output + spacing)
  sum.forEach((into, c) => {
    const channel = sound.channels[c] as Float32Array
    let re = 0
    let im = 0
    const own = halfTurns((from - source) / period, 1 / period)
    for (let n = from; n <= to; n++, own.next()) {
      const value = (channel[n] as number) * (0.5 + 0.5 * own.cos)
      re += value * (2 * own.cos * own.cos - 1)
      im += value * (2 * own.cos * own.sin)
    }
    const level = (2 * firstLevel) / period
    const wider = halfTurns((start - output) / spacing, 1 / spacing)
    for (let n = start; n <= end; n++, wider.next()) {
      // wherever reading began, the same is laid
      if (n < sumStart) continue
      const value = re * (2 * wider.cos * wider.cos - 1) + im * (2 * wider.cos * wider.sin)
      into[n - sumStart] = (into[n - sumStart] as number) + level * value * (0.5 + 0.5 * wider.cos)
    }
  })
}
