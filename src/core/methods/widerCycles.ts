import type { AudioBlock } from '../audio/block'
import { frameCount } from '../audio/block'
import { cosTurns, sinTurns } from '../dsp/portable'

/** wanted over own frequency, from which on cycles lie as they did */
const WIDER_BELOW = 0.98
/** 3 dB: what is raised by more is no voice */
const MOST_RAISED = 1.41

/**
 * What a cycle lacks that is laid further apart than it lies in the source, while its formants stay. Between the
 * partials that it was made of come new ones, each the mean of its neighbours.
 */
export interface WiderCycle {
  /**
   * The gain by which it is raised. The mean of two partials has less power than both have, and a formant that lies
   * between them is missed: by partials a cycle is as loud as it was, by power it is softer. The middle is taken.
   */
  readonly gain: number
  /** how much of its first partial it lacks, 0–1 */
  readonly lack: number
  /** its first partial in each channel: level and turn at the mark, as cosine and sine */
  readonly first: readonly { readonly cos: number; readonly sin: number }[]
}

/** a cycle under its window, one after the other */
let windowed = new Float64Array(1)

/**
 * Look at a cycle around `mark` (source frames) under a Hann window two periods long.
 * @param overlap  wanted over own frequency, with formants as they are read.
 * @returns undefined where cycles lie no wider than in the source.
 */
export function widerCycle(source: AudioBlock, mark: number, period: number, overlap: number): WiderCycle | undefined {
  if (overlap >= WIDER_BELOW) return undefined
  const from = Math.max(0, Math.ceil(mark - period))
  const count = Math.min(frameCount(source) - 1, Math.floor(mark + period)) - from + 1
  const lag = Math.round(period / overlap)
  if (windowed.length < count) windowed = new Float64Array(2 * count)
  let before = 0
  let laid = 0
  const first = source.channels.map((channel) => {
    const half = halfTurns((from - mark) / period, 1 / period)
    let cos = 0
    let sin = 0
    for (let n = 0; n < count; n++, half.next()) {
      const sample = channel[from + n] as number
      const value = sample * (0.5 + 0.5 * half.cos)
      windowed[n] = value
      before += sample * value
      laid += value * value
      cos += value * (2 * half.cos * half.cos - 1)
      sin += value * (2 * half.cos * half.sin)
    }
    for (let apart = lag; apart < count; apart += lag) {
      for (let n = apart; n < count; n++) laid += 2 * (windowed[n] as number) * (windowed[n - apart] as number)
    }
    return { cos: (2 * cos) / period, sin: (2 * sin) / period }
  })
  const byPower = laid > 0 ? Math.sqrt(before / laid) : 1
  const gain = Math.max(1 / MOST_RAISED, Math.min(MOST_RAISED, Math.sqrt(byPower)))
  return { gain, lack: 1 - windowAt(1 - overlap), first }
}

/** What a Hann window two periods long lets through so many partials beside one, of its level. */
function windowAt(apart: number): number {
  const x = 2 * apart
  return Math.abs(x - 1) < 1e-6 ? 0.5 : sinTurns(x / 2) / (Math.PI * x * (1 - x * x))
}

/**
 * Add what a wider cycle lacks of its first partial to a sum whose first frame is output frame `sumStart`: around
 * `output`, under a Hann two `spacing`s long, at the period `spacing`, at the middle in its turn as it is at the mark.
 */
export function layLack(
  { first, lack }: Pick<WiderCycle, 'first' | 'lack'>,
  sum: readonly Float32Array[],
  sumStart: number,
  { output, spacing, level }: { readonly output: number; readonly spacing: number; readonly level: number },
): void {
  const start = Math.ceil(output - spacing)
  const end = Math.floor(output + spacing)
  first.forEach(({ cos, sin }, c) => {
    const into = sum[c] as Float32Array
    const half = halfTurns((start - output) / spacing, 1 / spacing)
    for (let n = start; n <= end; n++, half.next()) {
      // wherever reading began, the same is laid
      if (n < sumStart) continue
      const value = cos * (2 * half.cos * half.cos - 1) + sin * (2 * half.cos * half.sin)
      into[n - sumStart] = (into[n - sumStart] as number) + level * lack * value * (0.5 + 0.5 * half.cos)
    }
  })
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
