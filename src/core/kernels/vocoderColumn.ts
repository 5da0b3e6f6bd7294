import { splitRealPair } from '../dsp/fft'
import { packFrames } from '../dsp/frames'
import { emptyColumn, turnPeak } from '../dsp/spectra'
import { hann } from '../dsp/window'
import { layWindow, load } from './columns'
import { fftInside, fftTwin } from './fft'
import { synthesisInside, synthesisTwin } from './synthesis'
import type { Kernels } from './wasm'

/**
 * One column after the other of a phase-locked vocoder, of any number of channels. `analyse` comes first, then what shapes the column,
 * then `lay`; between them nothing else may use the kernels, so all is done in one go. What goes on from column to column belongs to
 * the maker.
 */
export interface VocoderColumns {
  /**
   * Look at the frames around `centre`, and at how they turn in a hop halfway between there and `last`, where the
   * column before looked (by itself a hop before): that is what sounds between the two.
   */
  analyse(centre: number, last?: number): void
  /** Learn what there is in the window that begins at `start`: what `holdDown` and `lock` compare with. */
  learnBefore(start: number): void
  /** Bring each bin that has more than `lifted` times (in power) what was there before down to that. */
  holdDown(lifted: number): void
  /** Take the column as it is. */
  begin(): void
  /** Let each peak go on from the column before; with `lifted`, those that it lifts take their phases afresh. */
  lock(lifted?: number): void
  /** Add the column to `length` frames of each channel, windowed and scaled. */
  lay(sum: readonly Float32Array[], scale: number): void
}

type Make<Result> = (channels: readonly Float32Array[], length: number, hop: number) => Result

export const vocoderColumns: Make<VocoderColumns> = (...of) => vocoderKernel(...of) ?? vocoderTwin(...of)

/** In double precision: the definition. */
export const vocoderTwin: Make<VocoderColumns> = (channels, length, hop) => {
  const bins = length / 2
  const window = hann(length)
  const fft = fftTwin(length)
  const packed = new Float32Array(2 * length)
  const spectrum = new Float32Array(2 * length)
  const laid = synthesisTwin(length, 'hann')
  const now = emptyColumn(channels.length, length)
  const before = emptyColumn(channels.length, length)
  const shaped = emptyColumn(channels.length, length)
  const turned = new Float32Array(length + 2)
  const spare = new Float32Array(length + 2)
  const power = new Float64Array(bins + 1)
  const powerBefore = new Float64Array(bins + 1)
  const peaks = new Int32Array(bins + 1)

  function findPeaks(): number {
    let count = 0
    for (let k = 0; k <= bins; k++) {
      const level = power[k] as number
      if (level > (power[k - 1] ?? 0) && level >= (power[k + 1] ?? 0)) peaks[count++] = k
    }
    return count
  }

  /** Where the region of a peak ends: at the valley to the next one, which goes to the louder of both. */
  function endOf(peak: number, next: number): number {
    let valley = peak + 1
    while ((power[valley + 1] as number) < (power[valley] as number)) valley++
    return (power[peak] as number) > (power[next] as number) ? valley + 1 : valley
  }

  /** The half spectra of two spans of frames. */
  function look(
    first: Float32Array,
    firstStart: number,
    second: Float32Array | undefined,
    secondStart: number,
    to: Float32Array,
    toSecond: Float32Array,
  ) {
    packFrames(packed, window, first, firstStart, second, secondStart)
    fft.forward(spectrum, packed)
    splitRealPair(spectrum, length, to, toSecond)
  }

  return {
    analyse(centre, last = centre - hop) {
      const start = centre - bins
      const back = startBefore(start, last - bins, hop)
      power.fill(0)
      for (let c = 0; c < channels.length; c++) {
        const [column, old] = [now[c] as Float32Array, before[c] as Float32Array]
        const channel = channels[c] as Float32Array
        if (back === start - hop) look(channel, back, channel, start, old, column)
        else {
          if (c % 2 === 0) look(channel, start, channels[c + 1], start, column, now[c + 1] ?? spare)
          look(channel, back, channel, back + hop, old, turned)
          turnBack(old, turned, column)
        }
        for (let k = 0; k <= bins; k++) {
          const re = column[2 * k] as number
          const im = column[2 * k + 1] as number
          power[k] = (power[k] as number) + re * re + im * im
        }
      }
    },
    learnBefore(start) {
      powerBefore.fill(0)
      for (const channel of channels) {
        packFrames(packed, window, channel, start, undefined, 0)
        fft.forward(spectrum, packed)
        for (let k = 0; k <= bins; k++) {
          const re = spectrum[2 * k] as number
          const im = spectrum[2 * k + 1] as number
          powerBefore[k] = (powerBefore[k] as number) + re * re + im * im
        }
      }
    },
    holdDown: (lifted) => holdDown(now, power, powerBefore, lifted),
    begin() {
      for (let c = 0; c < shaped.length; c++) shaped[c]?.set(now[c] as Float32Array)
    },
    lock(lifted = 0) {
      const count = findPeaks()
      let from = 0
      for (let n = 0; n < count; n++) {
        const peak = peaks[n] as number
        const to = n + 1 < count ? endOf(peak, peaks[n + 1] as number) : bins + 1
        const afresh = lifted > 0 && (power[peak] as number) > lifted * (powerBefore[peak] as number)
        turnPeak(shaped, now, shaped, before, from, to, !afresh)
        from = to
      }
      if (count === 0) for (const column of shaped) column.fill(0)
    },
    lay: (sum, scale) => laid(shaped, sum, scale),
  }
}

/**
 * Where the frames begin whose turn in a hop says how `start` goes on from `last`: halfway between them, and right
 * before `start` where they lie a hop apart, or too far to have anything to do with each other.
 */
function startBefore(start: number, last: number, hop: number): number {
  return Math.abs(start - last) > LONGEST_STEP * hop ? start - hop : Math.floor((start + last - hop) / 2)
}
/** hops */
const LONGEST_STEP = 4

/**
 * What `now` was before it turned as `old` turned to `turned`, written to `old`. At the size of `now`: a glide is
 * weighed where it has come to, and by what it was it would lag behind.
 */
function turnBack(old: Float32Array, turned: Float32Array, now: Float32Array) {
  for (let k = 0; k < old.length; k += 2) {
    const or = old[k] as number
    const oi = old[k + 1] as number
    const br = turned[k] as number
    const bi = turned[k + 1] as number
    const nr = now[k] as number
    const ni = now[k + 1] as number
    const size = Math.sqrt((br * br + bi * bi) * (or * or + oi * oi)) + LEAST
    const re = (or * br + oi * bi) / size
    const im = (oi * br - or * bi) / size
    old[k] = nr * re - ni * im
    old[k + 1] = nr * im + ni * re
  }
}
/** what has less than this, in the product of two levels, says nothing */
const LEAST = 1e-18

/** What attacks are few enough for to be done bin by bin, in both. */
function holdDown(
  now: readonly Float32Array[],
  power: Float32Array | Float64Array,
  before: Float32Array | Float64Array,
  lifted: number,
) {
  for (let k = 0; k < power.length; k++) {
    const level = power[k] as number
    if (level <= (before[k] as number) * lifted) continue
    const gain = Math.sqrt((before[k] as number) / level)
    for (const column of now) {
      column[2 * k] = (column[2 * k] as number) * gain
      column[2 * k + 1] = (column[2 * k + 1] as number) * gain
    }
    power[k] = before[k] as number
  }
}

/** longer windows, and more channels, are left to the twin */
const LARGEST = 1 << 15
const MOST_CHANNELS = 8
/** silence before the powers, that peaks at the edge are compared with, in frames */
const MARGIN = 4

interface Areas {
  readonly now: number
  readonly before: number
  readonly shaped: number
  readonly power: number
  readonly powerBefore: number
  readonly peaks: number
  readonly a: number
  readonly b: number
  readonly turned: number
  /** whose columns lie in `shaped`: it takes them out when another one comes */
  owner: { save(): void } | undefined
}

const STRIDE = 4 * (LARGEST + 8)
const areas = new WeakMap<Kernels, Areas | undefined>()

function areasOf(own: Kernels): Areas | undefined {
  if (!areas.has(own)) {
    const columns = MOST_CHANNELS * STRIDE
    // one more stays silent: an odd channel's pair
    const shapedColumns = columns + STRIDE
    const powers = 4 * (LARGEST / 2 + 4 * MARGIN)
    const sizes = [
      columns,
      columns,
      shapedColumns,
      powers,
      powers,
      4 * (LARGEST / 2 + 8),
      2 * 4 * LARGEST,
      4 * LARGEST,
      STRIDE,
    ]
    const [now, before, shaped, power, powerBefore, peaks, a, b, turned] = sizes.map((bytes) => own.take(bytes))
    const all = { now, before, shaped, power, powerBefore, peaks, a, b, turned }
    const fits = Object.values(all).every((at) => at !== undefined)
    areas.set(own, fits ? { ...(all as Omit<Areas, 'owner'>), owner: undefined } : undefined)
  }
  return areas.get(own)
}

/** An owner by itself: one that knew its source would keep all of it in memory for as long as it has the place. */
const saverOf = (outside: readonly Float32Array[], inside: readonly Float32Array[]) => ({
  save() {
    for (let c = 0; c < outside.length; c++) outside[c]?.set(inside[c] as Float32Array)
  },
})

/** The same in single precision, turns found in double (kernels/vocoder.ts); undefined where there are no kernels, or not for this size. */
export const vocoderKernel: Make<VocoderColumns | undefined> = (channels, length, hop) => {
  const inside = length <= LARGEST && channels.length <= MOST_CHANNELS ? fftInside(length) : undefined
  if (!inside) return undefined
  const { own } = inside
  const window = layWindow(own, length)
  const at = areasOf(own)
  const layInside = synthesisInside(length, 'hann')
  if (!at || window === undefined || !layInside) return undefined
  const bins = length / 2
  const view = (place: number, frames: number) => own.floats.subarray(place / 4, place / 4 + frames)
  const a = view(at.a, length)
  /** those of a span and of one a hop behind it */
  const twice = view(at.a, length + hop)
  const b = view(at.b, length)
  const powers = view(at.power, bins + 4 * MARGIN)
  const powersBefore = view(at.powerBefore, bins + 1)
  const firstPower = at.power + 4 * MARGIN
  const power = view(firstPower, bins + 1)
  const columnOf = (place: number, c: number) => view(place + c * STRIDE, length + 2)
  const now = channels.map((_, c) => columnOf(at.now, c))
  const shapedInside = channels.map((_, c) => columnOf(at.shaped, c))
  const silent = at.shaped + MOST_CHANNELS * STRIDE
  // what goes on from column to column, while another one has the place
  const shaped = channels.map(() => new Float32Array(length + 2))
  const me = saverOf(shaped, shapedInside)
  function claim() {
    if (at?.owner === me) return
    at?.owner?.save()
    for (let c = 0; c < shaped.length; c++) shapedInside[c]?.set(shaped[c] as Float32Array)
    if (at) at.owner = me
  }
  const before = new Float32Array(bins + 1)

  /** The packed spectrum of the frames that lie at two places in `a` and `b`, to `inside.to`. */
  const spectrumOf = (first: number, second: number) => {
    own.packPair(first, second, window, inside.from, length)
    inside.turn(1, 0)
  }

  return {
    analyse(centre, last = centre - hop) {
      const start = centre - bins
      const back = startBefore(start, last - bins, hop)
      const isHopApart = back === start - hop
      powers.fill(0)
      for (let c = 0; c < channels.length; c++) {
        const [column, old] = [at.now + c * STRIDE, at.before + c * STRIDE]
        if (!isHopApart && c % 2 === 0) {
          const other = channels[c + 1]
          load(a, channels[c] as Float32Array, start)
          if (other) load(b, other, start)
          else b.fill(0)
          spectrumOf(at.a, at.b)
          own.splitPair(inside.to, column, column + STRIDE, length)
        }
        load(twice, channels[c] as Float32Array, back)
        spectrumOf(at.a, at.a + 4 * hop)
        if (isHopApart) {
          own.splitPair(inside.to, old, column, length)
          own.addPower(column, firstPower, length)
        } else own.turnBack(inside.to, column, old, firstPower, length)
      }
    },
    learnBefore(start) {
      powersBefore.fill(0)
      b.fill(0)
      for (const channel of channels) {
        load(a, channel, start)
        own.packPair(at.a, at.b, window, inside.from, length)
        inside.turn(1, 0)
        own.addPower(inside.to, at.powerBefore, length)
      }
      before.set(powersBefore)
    },
    holdDown: (lifted) => holdDown(now, power, before, lifted),
    begin() {
      claim()
      for (let c = 0; c < shapedInside.length; c++) shapedInside[c]?.set(now[c] as Float32Array)
    },
    lock(lifted = 0) {
      if (lifted > 0) powersBefore.set(before)
      claim()
      own.lockPhases(
        at.now,
        at.before,
        at.shaped,
        STRIDE,
        channels.length,
        firstPower,
        at.powerBefore,
        at.peaks,
        at.turned,
        bins,
        lifted,
      )
    },
    lay(sum, scale) {
      claim()
      for (let c = 0; c < channels.length; c += 2) {
        const pair = c + 1 < channels.length ? at.shaped + (c + 1) * STRIDE : silent
        layInside(at.shaped + c * STRIDE, pair, sum[c] as Float32Array, sum[c + 1], scale)
      }
    },
  }
}
