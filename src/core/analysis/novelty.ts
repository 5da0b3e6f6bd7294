import type { AudioBlock } from '../audio/block'
import { partAround, type SoundSource, soundSource } from '../audio/soundSource'
import { exp, ln, lnInPlace } from '../dsp/portable'
import { nearestPowerOfTwo } from '../dsp/units'
import { columnReader } from '../kernels/columns'
import type { Task } from '../task'

export const STEPS_PER_SECOND = 200
const WINDOW_SECONDS = 0.0427
const BANDS_PER_OCTAVE = 24
const LOWEST_HZ = 30
const HIGHEST_HZ = 17_000
/** where drums have their bodies, and where only what is struck or breathed has much */
const LOW_HZ = 150
const HIGH_HZ = 900
/** a band is looked at down to this far below the loudest one of the sound, dB */
const DEPTH_DB = 66
/** bands that are also looked at by themselves, about an octave, and how much the strongest such group has to say */
const GROUP_BANDS = 20
const GROUP_SAYS = 0.3
/** columns whose sound is asked for at once; an even count */
const AT_ONCE = 200
/** levels that are kept from the look for the loudest; more of them, of some ten minutes and on, are found once more instead */
const MOST_KEPT = 1 << 24

/** How much new there is at each step: mean rise over bands, natural log units. All arrays `[⌈frames / hop⌉ + 1]`. */
export interface Novelty {
  readonly hop: number
  readonly all: Float64Array
  readonly low: Float64Array
  readonly high: Float64Array
}

function bandEdges(size: number, sampleRate: number): Int32Array {
  const edges: number[] = []
  const top = Math.min(HIGHEST_HZ, 0.48 * sampleRate)
  for (let n = 0; ; n++) {
    const hz =
      LOWEST_HZ * 2 ** Math.floor(n / BANDS_PER_OCTAVE) * exp(((n % BANDS_PER_OCTAVE) / BANDS_PER_OCTAVE) * Math.LN2)
    if (hz > top) break
    const bin = Math.round((hz * size) / sampleRate)
    if (bin > (edges.at(-1) ?? 0)) edges.push(bin)
  }
  return Int32Array.from(edges)
}

/**
 * How much the spectrum rises at each step, in narrow bands of the log spectrum, against the loudest of three neighbouring
 * bands a little before, so that vibrato and glides do not count as rises.
 * Source  Böck & Widmer 2013, "Maximum filter vibrato suppression for onset detection".
 * @param mostKept  levels that may lie in memory; the result is the same, but takes twice as long where they are more.
 */
export function* noveltyOf(sound: AudioBlock | SoundSource, mostKept = MOST_KEPT): Task<Novelty> {
  const source = soundSource(sound)
  const { sampleRate, channelCount, frames: totalFrames } = source
  const hop = Math.max(1, Math.round(sampleRate / STEPS_PER_SECOND))
  const size = nearestPowerOfTwo(WINDOW_SECONDS * sampleRate, 64)
  const reader = columnReader(size)
  const power = new Float32Array(size / 2 + 1)
  const apart = { left: power, right: power.slice(), crossRe: power.slice(), crossIm: power.slice() }
  const edges = bandEdges(size, sampleRate)
  const bands = Math.max(1, edges.length - 1)
  const columns = Math.ceil(totalFrames / hop) + 1
  const half = size >> 1
  const lag = Math.max(1, Math.round(half / 2 / hop))

  const pairs = channelCount & ~1
  /** Add the levels of the columns from `first` up to `end` to silent rows. */
  function addLevels(rows: Float32Array, first: number, end: number) {
    const addBands = (column: number, of: Float32Array) => addMeans(rows, (column - first) * bands, of, edges, 0.5)
    const { start, audio } = partAround(source, first * hop - half, (end + 1) * hop + half)
    const { channels } = audio
    for (let column = first; column < end; column += 2) {
      const from = column * hop - half - start
      const isPair = column + 1 < end
      for (let c = 0; c < pairs; c += 2) {
        const [a, b] = [channels[c] as Float32Array, channels[c + 1] as Float32Array]
        reader.power(power, a, from, b, from)
        addBands(column, power)
        if (!isPair) continue
        reader.power(power, a, from + hop, b, from + hop)
        addBands(column + 1, power)
      }
      if (pairs === channelCount) continue
      const channel = channels[pairs] as Float32Array
      reader.cross(apart, channel, from, channel, from + hop)
      addBands(column, apart.left)
      if (isPair) addBands(column + 1, apart.right)
    }
  }

  const kept = columns * bands <= mostKept ? new Float32Array(columns * bands) : undefined
  // the rows that are compared with, and those of a round
  const passing = new Float32Array(kept ? 0 : (lag + AT_ONCE) * bands)
  const rounds = kept ? 1 : 2
  const told = (round: number, end: number) => ({
    doneFrames: Math.floor((round * totalFrames + Math.min(totalFrames, end * hop)) / rounds),
    totalFrames,
  })
  let loudest = 0
  for (let first = 0; first < columns; first += AT_ONCE) {
    const end = Math.min(columns, first + AT_ONCE)
    const rows = kept ? kept.subarray(first * bands, end * bands) : passing.subarray(0, (end - first) * bands).fill(0)
    addLevels(rows, first, end)
    loudest = Math.max(loudest, mostOf(rows))
    yield told(0, end)
  }
  const novelty = {
    hop,
    all: new Float64Array(columns),
    low: new Float64Array(columns),
    high: new Float64Array(columns),
  }
  if (loudest === 0) return novelty
  const lowBands = edges.findIndex((bin) => (bin * sampleRate) / size >= LOW_HZ)
  const highFrom = edges.findIndex((bin) => (bin * sampleRate) / size >= HIGH_HZ)
  const floor = loudest * exp((-DEPTH_DB / 10) * Math.LN10)
  // what lies before the sound is silence
  const quiet = 0.5 * ln(floor)
  // where a window reaches beyond the end, the cut shows as a rise in every band: nothing is looked for there
  const last = Math.min(columns - 1, Math.max(0, Math.floor((totalFrames - half) / hop)))
  for (let first = 0; first <= last; first += AT_ONCE) {
    const end = Math.min(columns, first + AT_ONCE)
    if (!kept) {
      passing.copyWithin(0, AT_ONCE * bands)
      addLevels(passing.subarray(lag * bands).fill(0), first, end)
    }
    const levels = kept ?? passing
    const origin = kept ? 0 : first - lag
    toLogs(levels.subarray((first - origin) * bands, (end - origin) * bands), floor)
    addRises(
      novelty,
      levels,
      { first, end: Math.min(end, last + 1), origin, lag },
      { bands, lowBands, highFrom, quiet },
    )
    if (!kept) yield told(1, end)
  }
  return novelty
}

// loops of their own: inside a generator they would stay slow

/** Add each band's mean, times a scale, to the levels from `at` on. */
function addMeans(levels: Float32Array, at: number, of: Float32Array, edges: Int32Array, scale: number) {
  for (let band = 0; band + 1 < edges.length; band++) {
    let sum = 0
    const from = edges[band] as number
    const to = edges[band + 1] as number
    for (let k = from; k < to; k++) sum += of[k] as number
    levels[at + band] = (levels[at + band] as number) + (scale * sum) / (to - from)
  }
}

function mostOf(levels: Float32Array): number {
  let most = 0
  for (let i = 0; i < levels.length; i++) most = Math.max(most, levels[i] as number)
  return most
}

function toLogs(levels: Float32Array, floor: number) {
  for (let i = 0; i < levels.length; i++) levels[i] = (levels[i] as number) + floor
  lnInPlace(levels)
  for (let i = 0; i < levels.length; i++) levels[i] = 0.5 * (levels[i] as number)
}

/**
 * The novelty of the columns from `first` up to `end`, whose levels lie from `origin` on, against those `lag` before.
 */
function addRises(
  { all, low, high }: Novelty,
  levels: Float32Array,
  { first, end, origin, lag }: { first: number; end: number; origin: number; lag: number },
  { bands, lowBands, highFrom, quiet }: { bands: number; lowBands: number; highFrom: number; quiet: number },
) {
  // what lies before the sound is silence, in every band and beside them
  const silent = new Float64Array(bands).fill(quiet)
  const old = new Float64Array(bands + 2).fill(Number.NEGATIVE_INFINITY)
  for (let column = first; column < end; column++) {
    const before = (column - lag - origin) * bands
    old.set(column < lag ? silent : levels.subarray(before, before + bands), 1)
    const now = (column - origin) * bands
    let rise = 0
    let most = 0
    let lowRise = 0
    let highRise = 0
    for (let band = 0; band < bands; ) {
      const next = Math.min(bands, band + GROUP_BANDS)
      let group = 0
      for (; band < next; band++) {
        const highest = Math.max(old[band] as number, old[band + 1] as number, old[band + 2] as number)
        const change = (levels[now + band] as number) - highest
        if (change <= 0) continue
        rise += change
        group += change
        if (band < lowBands) lowRise += change
        else if (band >= highFrom) highRise += change
      }
      if (group > most) most = group
    }
    all[column] = rise / bands + GROUP_SAYS * (most / GROUP_BANDS)
    low[column] = lowRise / Math.max(1, lowBands)
    high[column] = highRise / Math.max(1, bands - highFrom)
  }
}
