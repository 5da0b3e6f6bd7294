import { splitRealPair } from '../dsp/fft'
import { packFrames } from '../dsp/frames'
import { cosTurns, ln, sinTurns, square } from '../dsp/portable'
import { fillDraws, hashOfDraws } from '../dsp/random'
import { type Column, emptyColumn } from '../dsp/spectra'
import { hann } from '../dsp/window'
import { layWindow, load } from './columns'
import { fftInside, fftTwin } from './fft'
import { synthesisInside, synthesisTwin } from './synthesis'
import type { Kernels } from './wasm'

/**
 * One column after the other of Spectral drift, of any number of channels: what stands clear is marked, the rest is haze. `analyse` comes
 * first; until `layHaze`, no other column of this kind may be looked at.
 */
export interface DriftColumns {
  /** Look at the frames around `centre` and those a hop before, under Hann; nothing is marked. */
  analyse(centre: number): void
  /**
   * Mark the lobes of peaks that stand out of what is around them by `needed` (log₂ of power) and were about as loud a hop before. Returns
   * whether there are any.
   */
  markClear(needed: number): boolean
  /** half spectra around the centre, and a hop before */
  readonly now: Column
  readonly before: Column
  /** of all channels together, `[length / 2 + 1]` */
  readonly power: Float32Array | Float64Array
  /** 1 where a bin belongs to what is clear, `[length / 2 + 1]` */
  readonly isClear: Int32Array
  /**
   * Add what is not clear to `length` frames of each channel, under a sine window and scaled, each bin turned by a draw of its own, the
   * same in all channels. `fresh` (0–1) says how far its level is that of noise as loud as its surroundings, and not its own.
   */
  layHaze(sum: readonly Float32Array[], seed: number, index: number, fresh: number, scale: number): void
}

type Make<Result> = (channels: readonly Float32Array[], length: number, hop: number) => Result

export const driftColumns: Make<DriftColumns> = (...of) => driftKernel(...of) ?? driftTwin(...of)

/** bins on either side over which the level of the surroundings of a bin is taken */
const SURROUNDINGS = 12
/** bins of a peak's main lobe under the window */
const LOBE = 3
/** how much louder or quieter, in power, a partial may have been a hop before */
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

/** one over a count of bins; none of none */
const shares = Float64Array.from({ length: 2 * SURROUNDINGS + 2 }, (_, count) => (count > 0 ? 1 / count : 0))

/** In double precision: the definition. */
export const driftTwin: Make<DriftColumns> = (channels, length, hop) => {
  const bins = length / 2
  const window = hann(length)
  const fft = fftTwin(length)
  const packed = new Float32Array(2 * length)
  const spectrum = new Float32Array(2 * length)
  const laid = synthesisTwin(length, 'sine')
  const now = emptyColumn(channels.length, length)
  const before = emptyColumn(channels.length, length)
  const hazy = emptyColumn(channels.length, length)
  const power = new Float64Array(bins + 1)
  const sums = new Float64Array(bins + 2)
  const isClear = new Int32Array(bins + 1)
  const levels = new Float64Array(bins + 1)
  const draws = new Int32Array(bins + 1)

  /** A partial that goes on has nearly the same level one hop before; noise that happens to peak has not. */
  function isSteady(k: number, level: number): boolean {
    const old = before.reduce((sum, column) => sum + powerAt(column, k), 0)
    return old * SIDE_BY_SIDE > level && old < level * SIDE_BY_SIDE
  }

  return {
    now,
    before,
    power,
    isClear,
    analyse(centre) {
      const start = centre - bins
      power.fill(0)
      isClear.fill(0)
      channels.forEach((channel, c) => {
        const column = now[c] as Float32Array
        packFrames(packed, window, channel, start, channel, start - hop)
        fft.forward(spectrum, packed)
        splitRealPair(spectrum, length, column, before[c] as Float32Array)
        for (let k = 0; k <= bins; k++) power[k] = (power[k] as number) + powerAt(column, k)
      })
    },
    markClear(needed) {
      // levels are averaged as logarithms, a low mean, so that a neighbour's peak hardly counts
      for (let k = 0; k <= bins; k++) sums[k + 1] = (sums[k] as number) + roughLog2((power[k] as number) + 1e-18)
      let any = false
      for (let k = 2; k < bins - 1; k++) {
        const level = power[k] as number
        if (level <= 1e-14) continue
        if (level < (power[k - 1] as number) || level < (power[k + 1] as number)) continue
        if (level < (power[k - 2] as number) || level < (power[k + 2] as number)) continue
        const from = Math.max(0, k - SURROUNDINGS)
        const to = Math.min(bins + 1, k + SURROUNDINGS + 1)
        const surroundings = ((sums[to] as number) - (sums[from] as number)) / (to - from)
        if (roughLog2(level + 1e-18) < needed + surroundings || !isSteady(k, level)) continue
        isClear.fill(1, Math.max(0, k - LOBE), Math.min(bins, k + LOBE) + 1)
        any = true
      }
      return any
    },
    layHaze(sum, seed, index, fresh, scale) {
      fillDraws(draws, seed, index, DRAW_BITS)
      now.forEach((column, c) => {
        smoothNoise(levels, column, isClear)
        turnHaze(hazy[c] as Float32Array, column, levels, isClear, draws, fresh)
      })
      laid(hazy, sum, scale)
    },
  }
}

const powerAt = (column: Float32Array, k: number) =>
  square(column[2 * k] as number) + square(column[2 * k + 1] as number)

const single = new Float32Array(1)
const bitsOfSingle = new Int32Array(single.buffer)

/**
 * log₂ to 0.01 of a normal positive number, from its exponent and a parabola over its mantissa: enough for how far a peak stands out, and
 * many times as fast as the real one.
 */
function roughLog2(value: number): number {
  single[0] = value
  const pattern = bitsOfSingle[0] as number
  const exponent = (pattern >> 23) - 127
  const m = (pattern & 0x7fffff) / 0x800000
  return exponent + m * (1.3465553 - 0.3465553 * m)
}

/** The level of what is noise, without its own scatter: the mean power around a bin, clear partials left out. */
function smoothNoise(levels: Float64Array, column: Float32Array, isClear: Int32Array) {
  const bins = levels.length - 1
  let sum = 0
  let count = 0
  const turn = (k: number, sign: 1 | -1) => {
    if (k < 0 || k > bins || isClear[k] === 1) return
    sum += sign * powerAt(column, k)
    count += sign
  }
  for (let k = -SURROUNDINGS; k <= bins; k++) {
    turn(k + SURROUNDINGS, 1)
    turn(k - SURROUNDINGS - 1, -1)
    if (k >= 0) levels[k] = Math.max(0, sum) * (shares[count] as number)
  }
}

/** Each bin turned by a draw of its own, its level that of noise with the draw's scatter, as far as it is fresh; nothing of what is clear. */
function turnHaze(
  out: Float32Array,
  column: Float32Array,
  levels: Float64Array,
  isClear: Int32Array,
  draws: Int32Array,
  fresh: number,
) {
  const { cos: cosines, sin: sines, power } = noiseDraws
  for (let k = 0; k < draws.length; k++) {
    const draw = draws[k] as number
    const own = powerAt(column, k)
    const wanted = (1 - fresh) * own + fresh * (power[draw] as number) * (levels[k] as number)
    const gain = isClear[k] === 1 ? 0 : Math.sqrt(wanted / (own + 1e-30))
    const re = gain * (column[2 * k] as number)
    const im = gain * (column[2 * k + 1] as number)
    out[2 * k] = re * (cosines[draw] as number) - im * (sines[draw] as number)
    out[2 * k + 1] = re * (sines[draw] as number) + im * (cosines[draw] as number)
  }
}

/** longer windows, and more channels, are left to the twin */
const LARGEST = 1 << 15
const MOST_CHANNELS = 4
const STRIDE = 4 * (LARGEST + 8)
/** numbers on either side of powers and marks, and of logarithms, that kernels reach over */
const MARGIN = 4
const LOG_MARGIN = 16

interface Areas {
  readonly a: number
  readonly b: number
  readonly now: number
  readonly before: number
  /** an odd channel's pair */
  readonly silent: number
  readonly hazyA: number
  readonly hazyB: number
  readonly power: number
  readonly clear: number
  readonly logs: number
  readonly sums: number
  readonly counts: number
  readonly levels: number
  readonly shares: number
  readonly draws: number
}

const areas = new WeakMap<Kernels, Areas | undefined>()

function areasOf(own: Kernels): Areas | undefined {
  if (!areas.has(own)) areas.set(own, makeAreas(own))
  return areas.get(own)
}

function makeAreas(own: Kernels): Areas | undefined {
  const bins = LARGEST / 2
  const running = bins + 2 * SURROUNDINGS + 8
  const sizes: Record<keyof Areas, number> = {
    a: 4 * LARGEST,
    b: 4 * LARGEST,
    now: MOST_CHANNELS * STRIDE,
    before: MOST_CHANNELS * STRIDE,
    silent: STRIDE,
    hazyA: STRIDE,
    hazyB: STRIDE,
    power: 4 * (bins + 1 + 3 * MARGIN),
    clear: 4 * (bins + 1 + 3 * MARGIN),
    logs: 4 * (bins + 1 + 3 * LOG_MARGIN),
    sums: 16 * running,
    counts: 4 * running,
    levels: 8 * (bins + 1 + MARGIN),
    shares: 8 * shares.length,
    draws: 16 * DRAWS,
  }
  const taken = Object.entries(sizes).map(([name, bytes]) => [name, own.take(bytes)] as const)
  if (taken.some(([, at]) => at === undefined)) return undefined
  const at = Object.fromEntries(taken) as unknown as Areas
  new Float64Array(own.memory.buffer, at.shares, shares.length).set(shares)
  const { cos, sin, power } = noiseDraws
  for (let draw = 0; draw < DRAWS; draw++) {
    own.floats.set([cos[draw] as number, sin[draw] as number, power[draw] as number, 0], at.draws / 4 + 4 * draw)
  }
  return at
}

/** The same in single precision, running sums in double (kernels/drift.ts); undefined where there are no kernels, or not for this size. */
export const driftKernel: Make<DriftColumns | undefined> = (channels, length, hop) => {
  const inside = length <= LARGEST && channels.length <= MOST_CHANNELS ? fftInside(length) : undefined
  if (!inside) return undefined
  const { own } = inside
  const window = layWindow(own, length)
  const layInside = synthesisInside(length, 'sine')
  const at = areasOf(own)
  if (!at || window === undefined || !layInside) return undefined
  const bins = length / 2
  const view = (place: number, numbers: number) => own.floats.subarray(place / 4, place / 4 + numbers)
  const a = view(at.a, length)
  const b = view(at.b, length)
  const powers = view(at.power, bins + 1 + 3 * MARGIN)
  const firstPower = at.power + 4 * MARGIN
  const firstClear = at.clear + 4 * MARGIN
  const isClear = new Int32Array(own.memory.buffer, firstClear, bins + 1)
  const columnOf = (place: number, c: number) => view(place + c * STRIDE, length + 2)

  return {
    now: channels.map((_, c) => columnOf(at.now, c)),
    before: channels.map((_, c) => columnOf(at.before, c)),
    power: view(firstPower, bins + 1),
    isClear,
    analyse(centre) {
      const start = centre - bins
      powers.fill(0)
      isClear.fill(0)
      channels.forEach((channel, c) => {
        load(a, channel, start)
        load(b, channel, start - hop)
        own.packPair(at.a, at.b, window, inside.from, length)
        inside.turn(1, 0)
        own.splitPair(inside.to, at.now + c * STRIDE, at.before + c * STRIDE, length)
        own.addPower(at.now + c * STRIDE, firstPower, length)
      })
    },
    markClear: (needed) =>
      own.markClear(
        firstPower,
        at.logs + 4 * LOG_MARGIN,
        firstClear,
        at.before,
        STRIDE,
        channels.length,
        bins,
        needed,
      ) === 1,
    layHaze(sum, seed, index, fresh, scale) {
      const hash = hashOfDraws(seed, index)
      const shift = 32 - DRAW_BITS
      for (let c = 0; c < channels.length; c += 2) {
        const first = at.now + c * STRIDE
        const second = c + 1 < channels.length ? first + STRIDE : at.silent
        own.noiseLevels(first, second, firstClear, at.sums, at.counts, at.shares, at.levels, bins)
        own.turnHaze(first, second, firstClear, at.levels, at.draws, hash, shift, fresh, at.hazyA, at.hazyB, bins)
        layInside(at.hazyA, at.hazyB, sum[c] as Float32Array, sum[c + 1], scale)
      }
    },
  }
}
