import type { AudioBlock } from '../audio/block'
import { createSpectra, powerBetween } from './spectra'
import { varianceAroundLine } from './statistics'

/** A partial that holds its pitch and level for a while, at one column. */
export interface SteadyTone {
  /** fractional bin of the long window */
  readonly bin: number
  /** the same number for the same partial, column after column */
  readonly track: number
  /** how much its level moves by itself around a straight line, for half a second, dB² */
  readonly restless: number
}

interface Peak {
  readonly bin: number
  readonly levelDb: number
  before: Peak | undefined
  behind: Peak | undefined
}

/** peaks down to this far under the loudest bin of their column */
const DEPTH = 10 ** -5
/** a partial stands this far over what lies four bins away */
const OUTSTANDING = 10
/** how far pitch (bins) and level (dB) may move from one column to the next, a quarter of a window later */
const MOVE_BINS = 0.2
const MOVE_DB = 2.5
/** columns on both sides over which it has to be there */
const REACH = 3
/** columns on both sides over which its level is followed */
const NEIGHBOURS = 14
const MARGIN = NEIGHBOURS + REACH

/** source that is looked through at once, when a frame of it is asked for first */
const CHUNK_SECONDS = 10

export type SteadyTones = (sourceFrame: number) => readonly SteadyTone[]

/**
 * The steady partials of a source, at columns a quarter of a window apart; made where they are asked for, and kept.
 * @returns what is steady at a source frame.
 */
export function createSteadyTones(source: AudioBlock, size: number): SteadyTones {
  const hop = size / 4
  const read = createSpectra(source, size)
  const length = Math.ceil((CHUNK_SECONDS * source.sampleRate) / hop)
  const chunks = new Map<number, readonly (readonly SteadyTone[])[]>()
  return (sourceFrame) => {
    const column = Math.round(sourceFrame / hop)
    const n = Math.floor(column / length)
    let chunk = chunks.get(n)
    if (!chunk) {
      chunk = lookThrough(read, hop, n * length, length)
      chunks.set(n, chunk)
    }
    return chunk[column - n * length] as readonly SteadyTone[]
  }
}

function lookThrough(read: ReturnType<typeof createSpectra>, hop: number, first: number, count: number) {
  const columns: Peak[][] = []
  for (let n = first - MARGIN; n < first + count + MARGIN; n++) columns.push(peaksOf(read(n * hop).power))
  for (let n = 1; n < columns.length; n++) link(columns[n - 1] as Peak[], columns[n] as Peak[])
  // numbers of other chunks must not be met again
  let tracks = first * 1e4
  const trackOf = new Map<Peak, number>()
  const steady = columns.map((peaks) =>
    peaks.flatMap((peak): SteadyTone[] => {
      const track = (peak.before && trackOf.get(peak.before)) ?? tracks++
      trackOf.set(peak, track)
      const isSteady = lasts(peak, 'before') && lasts(peak, 'behind')
      return isSteady ? [{ bin: peak.bin, track, restless: restlessness(peak) }] : []
    }),
  )
  return steady.slice(MARGIN, MARGIN + count)
}

function lasts(peak: Peak, side: 'before' | 'behind'): boolean {
  let at: Peak | undefined = peak
  for (let n = 0; n < REACH && at; n++) at = at[side]
  return at !== undefined
}

function restlessness(peak: Peak): number {
  const levels = [peak.levelDb]
  for (let at = peak.before, n = 0; at && n < NEIGHBOURS; at = at.before, n++) levels.unshift(at.levelDb)
  for (let at = peak.behind, n = 0; at && n < NEIGHBOURS; at = at.behind, n++) levels.push(at.levelDb)
  return varianceAroundLine(levels)
}

function link(before: Peak[], now: Peak[]) {
  let from = 0
  for (const peak of now) {
    while (from < before.length && (before[from] as Peak).bin < peak.bin - MOVE_BINS) from++
    const old = before[from]
    if (!old || old.bin > peak.bin + MOVE_BINS || Math.abs(old.levelDb - peak.levelDb) > MOVE_DB || old.behind) continue
    peak.before = old
    old.behind = peak
  }
}

function peaksOf(power: Float32Array): Peak[] {
  const peaks: Peak[] = []
  let top = 0
  for (let k = 0; k < power.length; k++) top = Math.max(top, power[k] as number)
  const least = top * DEPTH
  for (let k = 6; k < power.length - 6; k++) {
    const middle = power[k] as number
    if (middle <= least || middle <= (power[k - 1] as number) || middle < (power[k + 1] as number)) continue
    if (middle < OUTSTANDING * Math.max(power[k - 4] as number, power[k + 4] as number)) continue
    peaks.push({
      bin: k + hannOffset(power, k),
      levelDb: 10 * Math.log10(middle),
      before: undefined,
      behind: undefined,
    })
  }
  return peaks
}

/**
 * How far a lone sine lies off its loudest bin, from the ratio of the two loudest bins of a Hann-windowed column; −0.5…0.5.
 * Source  Grandke 1983, "Interpolation Algorithms for Discrete Fourier Transforms of Weighted Signals".
 */
export function hannOffset(power: Float32Array, k: number): number {
  const left = power[k - 1] as number
  const right = power[k + 1] as number
  // in silence there is nothing to lie off
  if (!(Math.max(left, right) > 0) || !((power[k] as number) > 0)) return 0
  const ratio = Math.sqrt(Math.max(left, right) / (power[k] as number))
  const offset = Math.max(0, Math.min(0.5, (2 * ratio - 1) / (ratio + 1)))
  return right > left ? offset : -offset
}

/** The loudest bin within `reach` of a fractional one, refined; undefined at the ends of the spectrum. */
export function refineBin(power: Float32Array, near: number, reach: number): number | undefined {
  const from = Math.max(1, Math.ceil(near - reach))
  const to = Math.min(power.length - 2, Math.floor(near + reach))
  let best = -1
  for (let k = from; k <= to; k++) if (best < 0 || (power[k] as number) > (power[best] as number)) best = k
  return best < 0 ? undefined : best + hannOffset(power, best)
}

/** Power of a lone sine: its main lobe, two bins to either side. */
export const lobe = (below: Float64Array, bin: number) => powerBetween(below, bin - 2, bin + 2)
