import { pickWithin, usualGapMs } from '../analysis/material'
import type { AudioBlock } from '../audio/block'
import { overlapAddVoice, type SegmentMaker } from '../dsp/overlapAdd'
import { cosTurns, ln, log2, sinTurns, square } from '../dsp/portable'
import { fillDraws } from '../dsp/random'
import { emptyColumn, turnPeak } from '../dsp/spectra'
import { nearestPowerOfTwo } from '../dsp/units'
import { columnReader } from '../kernels/columns'
import { createSynthesis } from '../kernels/synthesis'
import { asOutput } from '../timeline/axes'
import type { TimeMap } from '../timeline/timeMap'
import { defineMethod } from './method'
import { pitchByResampling } from './pitchByResampling'
import { number } from './settings'

const schema = {
  windowMs: number({
    label: 'Window',
    unit: 'ms',
    min: 20,
    max: 3000,
    default: 340,
    scale: 'log',
    trades: 'Longer floats smoother and blurs what happens; shorter follows the sound and grows grainy.',
  }),
  clarity: number({
    label: 'Clarity',
    unit: '%',
    min: 0,
    max: 100,
    default: 80,
    trades: 'How many of the steady partials keep their phases and stay clear; 0 lets all drift into a haze.',
  }),
  freshPercent: number({
    label: 'Fresh noise',
    unit: '%',
    min: 0,
    max: 100,
    default: 100,
    trades: 'How far what is noise is drawn anew from its own spectrum; 0 holds on to the very moment and rings.',
  }),
}

/**
 * For far stretches. Long windows; what is noise at a moment is drawn afresh for each window from the spectrum it has there,
 * with one draw for all channels, so that the image holds; what is a steady partial goes on in its own phase. Windows
 * overlap so that their powers add up to one.
 * Source  the random-phase form of the phase vocoder after Moorer 1978, "The use of the phase vocoder in computer music
 *         applications"; noise redrawn from its envelope after Serra & Smith 1990, "Spectral modeling synthesis".
 */
export const drift = defineMethod({
  id: 'drift',
  label: 'Spectral drift',
  family: 'granular',
  use: 'Far stretches, 8 to 1000 times: beds and drones out of moments, and noise at any length.',
  needs: ['attacks'],
  exactSeek: false,
  tiesPitchToSpeed: false,
  pitchBy: 'reading back',
  ownFormants: false,
  seeded: true,
  timesRealTime: 65,
  settings: schema,
  // what moves floats in shorter windows, what stands still in long ones
  pick(analysis, sampleRate) {
    const gapMs = usualGapMs(analysis, sampleRate)
    return { windowMs: pickWithin(gapMs && gapMs * 0.7, 170, 340, 340) }
  },
  latencyFrames: (settings, sampleRate) => nearestPowerOfTwo((settings.windowMs / 1000) * sampleRate, 256),
  open: ({ source, map, pitch, settings, seed }) =>
    pitchByResampling(source.channels.length, map, pitch, (inner) =>
      overlapAddVoice(
        createDrift(source, inner, {
          length: nearestPowerOfTwo((settings.windowMs / 1000) * source.sampleRate, 256),
          clarity: settings.clarity / 100,
          fresh: settings.freshPercent / 100,
          seed,
        }),
      ),
    ),
})

export interface DriftShape {
  readonly length: number
  /** 0–1 */
  readonly clarity: number
  /** 0–1 */
  readonly fresh: number
  readonly seed: number
}

const OVERLAP = 4
/** bins on either side over which the level of the surroundings of a bin is taken */
const SURROUNDINGS = 12
/** how far a peak has to stand out of its surroundings to count as a partial at full clarity, and at least, in power */
const CLEAR_FROM = 24
/** bins of a peak's main lobe under the window */
const LOBE = 3
const SIDE_BY_SIDE = 2

/** Phases and powers of white noise, drawn once: `power` after an exponential law, phases spread evenly over it. */
const DRAW_BITS = 13
const DRAWS = 2 ** DRAW_BITS
const GOLDEN = 0.6180339887498949
const noiseDraws = {
  cos: Float64Array.from({ length: DRAWS }, (_, i) => cosTurns(i * GOLDEN)),
  sin: Float64Array.from({ length: DRAWS }, (_, i) => sinTurns(i * GOLDEN)),
  power: Float64Array.from({ length: DRAWS }, (_, i) => -ln((i + 0.5) / DRAWS)),
}

/**
 * log₂ to 0.01 of a single-precision number (normal, positive) whose bits are `bits[k]`, from its exponent and a parabola over its
 * mantissa: enough for how far a peak stands out, and many times as fast as the real one.
 */
function roughLog2(bits: Int32Array, k: number): number {
  const pattern = bits[k] as number
  const exponent = (pattern >> 23) - 127
  // the mantissa, 1–2
  const m = 1 + (pattern & 0x7fffff) / 0x800000
  return exponent + (m - 1) * (1.3465553 - 0.3465553 * (m - 1))
}

/** one over a count of bins; none of none */
const shares = Float64Array.from({ length: 2 * SURROUNDINGS + 2 }, (_, count) => (count > 0 ? 1 / count : 0))

/**
 * The level of what is noise, without its own scatter: the mean power around a bin, clear partials left out.
 * Shape  `out[bins]`, `column` interleaved; `powers` and `counts`, for running sums, `[bins + 1 + 2 × SURROUNDINGS]`.
 */
function smoothNoise(
  out: Float64Array,
  column: Float32Array,
  isClear: Uint8Array,
  powers: Float64Array,
  counts: Float64Array,
) {
  const bins = out.length
  let sum = 0
  let count = 0
  for (let k = 0; k < bins; k++) {
    const re = column[2 * k] as number
    const im = column[2 * k + 1] as number
    const counted = 1 - (isClear[k] as number)
    sum += counted * (re * re + im * im)
    count += counted
    powers[k + 1 + SURROUNDINGS] = sum
    counts[k + 1 + SURROUNDINGS] = count
  }
  // beyond the ends nothing is added: no bin needs care
  powers.fill(sum, bins + 1 + SURROUNDINGS)
  counts.fill(count, bins + 1 + SURROUNDINGS)
  for (let k = 0; k < bins; k++) {
    const to = k + 2 * SURROUNDINGS + 1
    const near = (counts[to] as number) - (counts[k] as number)
    const level = (powers[to] as number) - (powers[k] as number)
    out[k] = level > 0 ? level * (shares[near] as number) : 0
  }
}

/**
 * Haze: each bin turned by a draw of its own. Fresh noise takes its level from the smoothed spectrum and its scatter from the draw
 * (power after an exponential law, as noise has it).
 * Shape  `out` and `column` interleaved; `level`, `isClear` and `draws` `[bins]`.
 */
function turnHaze(
  out: Float32Array,
  column: Float32Array,
  level: Float64Array,
  isClear: Uint8Array,
  draws: Int32Array,
  fresh: number,
) {
  const { cos: cosines, sin: sines, power } = noiseDraws
  for (let k = 0; k < draws.length; k++) {
    const draw = draws[k] as number
    const xr = column[2 * k] as number
    const xi = column[2 * k + 1] as number
    // what is clear has no haze: not even a root is taken for it
    let gain = isClear[k] === 1 ? 0 : 1
    if (fresh > 0 && gain > 0) {
      const own = xr * xr + xi * xi
      const wanted = (1 - fresh) * own + fresh * (power[draw] as number) * (level[k] as number)
      gain = Math.sqrt(wanted / (own + 1e-30))
    }
    const cos = cosines[draw] as number
    const sin = sines[draw] as number
    out[2 * k] = gain * (xr * cos - xi * sin)
    out[2 * k + 1] = gain * (xr * sin + xi * cos)
  }
}

function addPower(power: Float64Array, column: Float32Array) {
  for (let k = 0; k < power.length; k++) {
    const re = column[2 * k] as number
    const im = column[2 * k + 1] as number
    power[k] = (power[k] as number) + (re * re + im * im)
  }
}

/** The power of two columns together. */
function powerOfPair(power: Float64Array, a: Float32Array, b: Float32Array) {
  for (let k = 0; k < power.length; k++) {
    const ar = a[2 * k] as number
    const ai = a[2 * k + 1] as number
    const br = b[2 * k] as number
    const bi = b[2 * k + 1] as number
    power[k] = ar * ar + ai * ai + (br * br + bi * bi)
  }
}

/** Running sums of the levels' logarithms; `floored` and `bits` are one memory. */
function sumLogs(sums: Float64Array, power: Float64Array, floored: Float32Array, bits: Int32Array) {
  let sum = 0
  for (let k = 0; k < power.length; k++) {
    floored[k] = (power[k] as number) + 1e-18
    sum += roughLog2(bits, k)
    sums[k + 1] = sum
  }
}

/**
 * Mark the lobes of peaks that stand out of what is around them by `needed` (log₂ of power) and were as loud one hop before; says
 * whether there are any. `sums` and `bits` as `sumLogs` leaves them.
 */
function markClear(
  isClear: Uint8Array,
  power: Float64Array,
  sums: Float64Array,
  bits: Int32Array,
  before: readonly Float32Array[],
  needed: number,
): boolean {
  const bins = power.length - 1
  let any = false
  for (let k = 2; k < bins - 1; k++) {
    const level = power[k] as number
    if (level <= 1e-14) continue
    if (level < (power[k - 1] as number) || level < (power[k + 1] as number)) continue
    if (level < (power[k - 2] as number) || level < (power[k + 2] as number)) continue
    const from = Math.max(0, k - SURROUNDINGS)
    const to = Math.min(bins + 1, k + SURROUNDINGS + 1)
    const surroundings = ((sums[to] as number) - (sums[from] as number)) / (to - from)
    if (roughLog2(bits, k) < needed + surroundings || !isSteady(before, k, level)) continue
    isClear.fill(1, Math.max(0, k - LOBE), Math.min(bins, k + LOBE) + 1)
    any = true
  }
  return any
}

/** A partial that goes on has nearly the same level one hop before; noise that happens to peak has not. */
function isSteady(before: readonly Float32Array[], k: number, level: number): boolean {
  let old = 0
  for (const column of before) old += square(column[2 * k] as number) + square(column[2 * k + 1] as number)
  return old > level / SIDE_BY_SIDE && old < level * SIDE_BY_SIDE
}

/** Also how other methods lay noise. */
export function createDrift(source: AudioBlock, map: TimeMap, shape: DriftShape): SegmentMaker {
  const { length, clarity, fresh, seed } = shape
  const hop = length / OVERLAP
  const bins = length / 2
  const channelCount = source.channels.length
  // analysis under Hann; clear partials add up in amplitude (Hann² again), haze in power (sine window, Σ sin² = OVERLAP / 2)
  const columns = columnReader(length)
  const layClear = createSynthesis(length, 'hann')
  const layHaze = createSynthesis(length, 'sine')
  const now = emptyColumn(channelCount, length)
  const before = emptyColumn(channelCount, length)
  let clear = emptyColumn(channelCount, length)
  const hazy = emptyColumn(channelCount, length)
  let last = emptyColumn(channelCount, length)
  const power = new Float64Array(bins + 1)
  const sums = new Float64Array(bins + 2)
  const floored = new Float32Array(bins + 1)
  const flooredBits = new Int32Array(floored.buffer)
  const powers = new Float64Array(bins + 2 + 2 * SURROUNDINGS)
  const counts = new Float64Array(bins + 2 + 2 * SURROUNDINGS)
  const draws = new Int32Array(bins + 1)
  const isClear = new Uint8Array(bins + 1)
  const smooth = source.channels.map(() => new Float64Array(bins + 1))
  const clearScale = 1 / (0.375 * OVERLAP)
  // Σ hann² / length = 3/8: what a frame of noise loses under the analysis window
  const hazeScale = 1 / Math.sqrt(0.375 * (OVERLAP / 2))
  let previousSegment = Number.NaN

  function analyse(centre: number) {
    source.channels.forEach((channel, c) => {
      const pair = [now[c] as Float32Array, before[c] as Float32Array] as const
      columns.halves(pair, channel, centre - bins, channel, centre - bins - hop)
    })
    if (channelCount === 2) powerOfPair(power, now[0] as Float32Array, now[1] as Float32Array)
    else {
      power.fill(0)
      for (const column of now) addPower(power, column)
    }
  }

  /** Mark the lobes of peaks that stand out of the lower part of what is around them, now and one hop before. */
  function findClear(): boolean {
    isClear.fill(0)
    if (clarity === 0) return false
    // a low mean: levels are averaged as logarithms, so a neighbour's peak hardly counts
    sums[0] = 0
    sumLogs(sums, power, floored, flooredBits)
    return markClear(isClear, power, sums, flooredBits, before, log2(CLEAR_FROM / square(clarity)))
  }

  function shapeClear(afresh: boolean) {
    for (const column of clear) column.fill(0)
    for (let k = isClear.indexOf(1); k >= 0; ) {
      // one lobe, or lobes that touch: each bin belongs to the nearest peak, as in the locked vocoder
      let end = k
      while (end <= bins && isClear[end] === 1) end++
      let from = k
      while (from < end) {
        let peak = from
        while (peak + 1 < end && (power[peak + 1] as number) > (power[peak] as number)) peak++
        let to = peak + 1
        while (to < end && (power[to] as number) <= (power[to - 1] as number)) to++
        turnPeak(clear, now, last, before, peak, from, to, !afresh)
        from = to
      }
      k = isClear.indexOf(1, end)
    }
  }

  return {
    channelCount,
    hop,
    length,
    lead: -bins,
    reset() {
      previousSegment = Number.NaN
    },
    addSegment(k, sum) {
      analyse(Math.round(map.sourceAt(asOutput(k * hop))))
      const any = findClear()
      for (let c = 0; fresh > 0 && c < channelCount; c++)
        smoothNoise(smooth[c] as Float64Array, now[c] as Float32Array, isClear, powers, counts)
      if (any) {
        shapeClear(previousSegment !== k - 1)
        layClear(clear, sum, clearScale)
        ;[clear, last] = [last, clear]
      } else for (const column of last) column.fill(0)
      // the same draws in all channels
      fillDraws(draws, seed, k, DRAW_BITS)
      for (let c = 0; c < channelCount; c++)
        turnHaze(hazy[c] as Float32Array, now[c] as Float32Array, smooth[c] as Float64Array, isClear, draws, fresh)
      layHaze(hazy, sum, hazeScale)
      previousSegment = k
    },
  }
}
