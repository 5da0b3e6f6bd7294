import { type AudioBlock, frameCount, silence } from '../audio/block'
import { overlapAddVoice, type SegmentMaker } from '../dsp/overlapAdd'
import { sinTurns, square } from '../dsp/portable'
import { lowerBound } from '../dsp/search'
import { keepLeast, keepMost } from '../dsp/spectra'
import { nearestPowerOfTwo } from '../dsp/units'
import { columnReader } from '../kernels/columns'
import { RANKS_AT_ONCE, ranks, slidingMedian } from '../kernels/ranks'
import { createSynthesis } from '../kernels/synthesis'
import { BROUGHT_SECONDS, createBrought, LEVEL_REACH } from './brought'
import { endGoneOn } from './goneOn'

/**
 * A sound in three layers that add up to it: steady partials, what attacks bring, and noise. The arrays are as long as the
 * source; they hold what is right from `ensure` on.
 */
export interface Layers {
  readonly sines: AudioBlock
  readonly attacks: AudioBlock
  readonly noise: AudioBlock
  /** Make the source frames from `from` up to `to` right in all three; in order it costs least. */
  ensure(from: number, to: number): void
  /** Whether all of that is right already. */
  has(from: number, to: number): boolean
  /** The same in small steps, each of a few milliseconds; what it comes to does not depend on the way. */
  prepare(from: number, to: number): Generator<void>
}

const SINE_WINDOW_SECONDS = 0.17
const ATTACK_WINDOW_SECONDS = 0.0107
const OVERLAP = 4
/** columns before and behind over which a partial has to last, in the long and in the short windows */
const LONG_REACH = 5
const SHORT_REACH = 9
const SHORT_STRIDE = 4
/** a partial is narrower than this, in the long windows; an attack is wider, in the short ones */
const BAND_HZ = 250
const SINE_EDGES = [0.7, 0.8] as const
const ATTACK_EDGES = [0.65, 0.8] as const
/** all that is no partial is an attack's until here, fading until there: shorter than the short windows tell */
const WHOLE_SECONDS = 0.006
const FADED_SECONDS = 0.012
export const LEAD_SECONDS = 0.004
export const TILE = 4096

/**
 * Split a source. In long windows what lasts along time more than it spreads along frequency is a partial; of the rest,
 * in short windows, what spreads along frequency more than it lasts belongs to an attack, and so does what a detected
 * attack brings (`brought`: the body of a drum is no noise); what remains is noise. Masks are soft, and the same for
 * all channels. Each frame depends on nothing but the source, so any part can be asked for first.
 *
 * @param attacks  source frames, rising.
 * @param addUpIn  what a bin is worth in two layers. Their amplitudes add up to the source's, so that the layers sum to
 *   it; or their powers do, so that the sum is as loud as it where each layer comes to phases of its own.
 * Source  Fitzgerald 2010, "Harmonic/percussive separation using median filtering"; Damskägg & Välimäki 2017, "Audio time
 *         stretching using fuzzy classification of spectral bins"; Fierro & Välimäki 2023, "Enhanced fuzzy decomposition of
 *         sound into sines, transients, and noise" for the two stages.
 */
export function createLayers(
  source: AudioBlock,
  attacks: readonly number[],
  addUpIn: 'amplitude' | 'power' = 'amplitude',
): Layers {
  const inPower = addUpIn === 'power'
  const { sampleRate, channels } = source
  const frames = frameCount(source)
  const channelCount = channels.length
  const sines = silence(channelCount, frames)
  const rest = silence(channelCount, frames)
  const bursts = silence(channelCount, frames)
  const noise = silence(channelCount, frames)
  const tiles = Math.ceil(frames / TILE)
  const restDone = new Uint8Array(tiles)
  const allDone = new Uint8Array(tiles)

  const sineLength = nearestPowerOfTwo(SINE_WINDOW_SECONDS * sampleRate, 64)
  const sineMasker = createMasker(channels, {
    length: sineLength,
    // a tone that is cut off with the file is a tone up to its end
    end: () => endGoneOn(channels, sineLength, (1 + LONG_REACH / OVERLAP) * sineLength, sampleRate),
    reach: LONG_REACH,
    stride: 1,
    bandBins: (length) => Math.max(2, Math.round((BAND_HZ * length) / sampleRate)),
    keeps: 'what lasts',
    edges: SINE_EDGES,
    bridge: 4,
    attacks,
    givesOther: inPower,
  })
  const sineReader = overlapAddVoice(sineMasker)
  const shortLength = nearestPowerOfTwo(ATTACK_WINDOW_SECONDS * sampleRate, 32)
  const attackMasker = createMasker(rest, {
    length: shortLength,
    reach: SHORT_REACH,
    stride: SHORT_STRIDE,
    bandBins: (length) => Math.max(2, Math.round((4 * BAND_HZ * length) / sampleRate)),
    keeps: 'what spreads',
    edges: ATTACK_EDGES,
    prepare: (from, to) => ensureRest(from, to),
    givesOther: inPower,
    levelReach: LEVEL_REACH,
    raise: (...of) => brought.raise(...of),
  })
  const attackReader = overlapAddVoice(attackMasker)
  const brought = createBrought({ sampleRate, channels: rest }, attacks, {
    length: shortLength,
    lead: LEAD_SECONDS * sampleRate,
    heldDown: sineLength / 2,
    ready: ensureRest,
  })

  function part(of: readonly Float32Array[], from: number, to: number): Float32Array[] {
    return of.map((channel) => channel.subarray(from, to))
  }

  function eachTile(from: number, to: number, done: Uint8Array, make: (start: number, end: number) => void) {
    const first = Math.max(0, Math.floor(from / TILE))
    const last = Math.min(tiles - 1, Math.floor((to - 1) / TILE))
    for (let tile = first; tile <= last; tile++) {
      if (done[tile] === 1) continue
      done[tile] = 1
      make(tile * TILE, Math.min(frames, (tile + 1) * TILE))
    }
  }

  function ensureRest(from: number, to: number) {
    eachTile(from, to, restDone, (start, end) => {
      if (inPower) return sineReader.read(start, part([...sines, ...rest], start, end))
      sineReader.read(start, part(sines, start, end))
      for (let c = 0; c < channelCount; c++) {
        const own = channels[c] as Float32Array
        const tonal = sines[c] as Float32Array
        const left = rest[c] as Float32Array
        for (let i = start; i < end; i++) left[i] = (own[i] as number) - (tonal[i] as number)
      }
    })
  }

  const lead = LEAD_SECONDS * sampleRate
  const whole = WHOLE_SECONDS * sampleRate
  const faded = FADED_SECONDS * sampleRate
  const gone = BROUGHT_SECONDS * sampleRate

  const nears = new Float64Array(TILE)
  const isRising = new Uint8Array(TILE)

  /**
   * How much of the rest belongs to an attack at a frame, whatever it is: 1 just behind one, 0 far from all.
   * @param attack  the last one that has begun by then, or is about to; `next` is the one behind it.
   */
  function nearness(frame: number, attack: number | undefined, next: number | undefined): number {
    let near = 0
    if (attack !== undefined) {
      const behind = frame - attack
      near =
        behind <= whole ? 1 : behind >= faded ? 0 : 0.5 + 0.5 * sinTurns(0.25 + (behind - whole) / (faded - whole) / 2)
    }
    if (next !== undefined && near < 1) {
      // the way up to the next one is short and complete when it comes
      const before = next - lead - frame
      const edge = lead / 2
      if (before < edge) near = Math.max(near, 1 - before / edge)
    }
    return near
  }

  function ensure(from: number, to: number) {
    eachTile(from, to, allDone, (start, end) => {
      ensureRest(start, end)
      attackReader.read(start, part(inPower ? [...bursts, ...noise] : bursts, start, end))
      let n = lowerBound(attacks, start + lead)
      for (let i = start; i < end; i++) {
        while (n < attacks.length && (attacks[n] as number) < i + lead) n++
        const attack = attacks[n - 1]
        const near = nearness(i, attack, attacks[n])
        isRising[i - start] = attack === undefined || i - attack > faded ? 1 : 0
        nears[i - start] = near > 0 || (attack !== undefined && i - attack < gone) ? near : NOT_REACHED
      }
      for (let c = 0; c < channelCount; c++) {
        const tile = [rest, bursts, noise].map((of) => (of[c] as Float32Array).subarray(start, end))
        const [left, burst, other] = tile as [Float32Array, Float32Array, Float32Array]
        if (inPower) sharePower(nears, isRising, left, burst, other)
        else share(nears, left, burst, other)
      }
    })
  }

  function has(from: number, to: number): boolean {
    for (let tile = Math.floor(from / TILE); tile * TILE < to; tile++) if (allDone[tile] !== 1) return false
    return true
  }

  function* prepareRest(from: number, to: number): Generator<void> {
    const last = Math.min(tiles - 1, Math.floor((to - 1) / TILE))
    for (let tile = Math.max(0, Math.floor(from / TILE)); tile <= last; tile++) {
      if (restDone[tile] === 1) continue
      yield* sineMasker.learn(tile * TILE)
      ensureRest(tile * TILE, tile * TILE + 1)
      yield
    }
  }

  function* prepare(from: number, to: number): Generator<void> {
    const first = Math.max(0, Math.floor(from / TILE))
    const last = Math.min(tiles - 1, Math.floor((to - 1) / TILE))
    for (let tile = first; tile <= last; tile++) {
      if (allDone[tile] === 1) continue
      // the rest of the next tiles is looked at as well, by short windows that reach over the end of this one
      yield* prepareRest(tile * TILE, (tile + 3) * TILE)
      for (const { from, to, look } of brought.asks(tile * TILE - shortLength, (tile + 1) * TILE + shortLength)) {
        yield* prepareRest(from, to)
        look()
        yield
      }
      yield* attackMasker.learn(tile * TILE)
      ensure(tile * TILE, tile * TILE + 1)
      yield
    }
  }

  const block = (own: readonly Float32Array[]): AudioBlock => ({ sampleRate, channels: own })
  return { sines: block(sines), attacks: block(bursts), noise: block(noise), ensure, has, prepare }
}

/** so many times shorter is the window that tells what sounded right before an attack */
const BRIEF = 4
/** a partial may grow by this much, as one that beats does, before it counts as new */
const GROWN = 3
/** and so much more than it says may go on: it tells levels apart less well than a long one */
const MORE = 2

/** in place of a nearness: no attack reaches so far, not even by its clicks */
const NOT_REACHED = -1

/** Share the rest out: to attacks what lies near one and what their clicks are, to noise what is left. */
function share(nears: Float64Array, rest: Float32Array, burst: Float32Array, noise: Float32Array) {
  for (let i = 0; i < rest.length; i++) {
    const near = nears[i] as number
    const left = rest[i] as number
    burst[i] = near === NOT_REACHED ? 0 : near * left + (1 - near) * (burst[i] as number)
    noise[i] = left - (burst[i] as number)
  }
}

/**
 * The same, where the powers of a burst and of the noise beside it add up. On the way up to an attack the two have
 * nothing in common and are turned up for it. Behind one, the burst is all of the rest already.
 */
function sharePower(
  nears: Float64Array,
  isRising: Uint8Array,
  rest: Float32Array,
  burst: Float32Array,
  noise: Float32Array,
) {
  for (let i = 0; i < rest.length; i++) {
    const near = nears[i] as number
    const left = rest[i] as number
    const level = isRising[i] === 1 && near > 0 && near < 1 ? 1 / Math.sqrt(near * near + (1 - near) * (1 - near)) : 1
    burst[i] = near === NOT_REACHED ? 0 : level * (near * left + (1 - near) * (burst[i] as number))
    noise[i] = near === NOT_REACHED ? left : level * (1 - near) * (noise[i] as number)
  }
}

/** How far each value stands out of the sum with its other: 0 below `low`, 1 above `high`, a smooth way between. */
function standingOut(out: Float64Array, values: Float32Array, others: Float32Array, low: number, high: number) {
  for (let b = 0; b < out.length; b++) {
    const value = values[b] as number
    const x = value / (value + (others[b] as number) + 1e-12)
    if (x <= low) out[b] = 0
    else if (x >= high) out[b] = 1
    else {
      const s = sinTurns((x - low) / (high - low) / 4)
      out[b] = s * s
    }
  }
}

/** Shares whose amplitudes add up to 1 with their others, turned up alike until their powers do. */
function toPowers(shares: Float64Array, others: Float64Array) {
  for (let b = 0; b < shares.length; b++) {
    const share = shares[b] as number
    const level = 1 / Math.sqrt(square(share) + square(1 - share))
    shares[b] = share * level
    others[b] = (1 - share) * level
  }
}

/** The magnitude of each bin over all channels. */
function addUp(magnitudes: Float32Array, spectra: readonly Float32Array[]) {
  for (const own of spectra)
    for (let b = 0; b < magnitudes.length; b++)
      magnitudes[b] = (magnitudes[b] as number) + square(own[2 * b] as number) + square(own[2 * b + 1] as number)
  for (let b = 0; b < magnitudes.length; b++) magnitudes[b] = Math.sqrt(magnitudes[b] as number)
}

/** A half spectrum with each bin scaled. */
function scaled(out: Float32Array, spectrum: Float32Array, shares: Float64Array) {
  for (let b = 0; b < shares.length; b++) {
    const share = shares[b] as number
    out[2 * b] = (spectrum[2 * b] as number) * share
    out[2 * b + 1] = (spectrum[2 * b + 1] as number) * share
  }
}

interface MaskShape {
  readonly length: number
  /** columns to either side, `stride` apart, over which the median along time is taken */
  readonly reach: number
  readonly stride: number
  bandBins(length: number): number
  /** what is kept of a bin: as much as its median along time, or across frequency, stands out, 0 to 1 over the edges */
  readonly keeps: 'what lasts' | 'what spreads'
  readonly edges: readonly [number, number]
  /**
   * Columns up to which a gap in what is kept is bridged: a partial that is there before and behind a hit is there under it
   * too. What is kept of it there is no more than what lasts along time: what the hit adds stays out.
   */
  readonly bridge?: number
  /**
   * Frames at which something starts: in columns that reach over one, no more of a bin is kept than was there before it.
   * What an attack brings is no partial until half a window behind it, so nothing of it sounds ahead.
   */
  readonly attacks?: readonly number[]
  /** what is not kept is given as well, in as many more channels, so that the powers of both add up */
  readonly givesOther?: boolean
  /** what is read where a column reaches over the end; silence, where it is not said */
  end?(): { readonly from: number; readonly channels: readonly Float32Array[] }
  /** Raises the shares of a column around a frame, told the magnitudes of it and of `levelReach` to either side. */
  raise?(shares: Float64Array, centre: number, around: readonly Float32Array[]): void
  readonly levelReach?: number
  /** called before a span of input is looked at */
  prepare?(from: number, to: number): void
}

/** columns that are looked at in one step */
const LEARN_AT_ONCE = 4

interface Learning {
  /** Look, in small steps, at all that the segments over a frame will ask for. */
  learn(frame: number): Generator<void>
}

/** Short-time spectra of an input, masked by its two medians, laid back: one fixed function of the input. */
function createMasker(input: readonly Float32Array[], shape: MaskShape): SegmentMaker & Learning {
  const { length, reach, stride } = shape
  const hop = length / OVERLAP
  const bins = length / 2
  const channelCount = input.length
  const frames = input[0]?.length ?? 0
  let end: ReturnType<NonNullable<MaskShape['end']>> | undefined
  const reader = columnReader(length)
  const scale = 1 / (0.375 * OVERLAP)
  const spare = new Float32Array(length + 2)
  const lay = createSynthesis(length, 'hann')
  const givesOther = shape.givesOther ?? false
  const shaped = [...input, ...(givesOther ? input : [])].map(() => new Float32Array(length + 2))
  const others = new Float64Array(givesOther ? bins + 1 : 0)
  const shares = new Float64Array(bins + 1)
  const closed = new Float64Array(bins + 1)
  const bridge = shape.bridge ?? 0
  const levelReach = shape.levelReach ?? 0
  const batch = RANKS_AT_ONCE * stride
  const kept = 2 * (reach * stride + 2 * bridge + batch)
  const columns = Array.from({ length: kept }, () => ({
    index: Number.NaN,
    magnitudes: new Float32Array(bins + 1),
    /** what of each bin is kept before bridging, and what of it lasts along time; NaN until asked for */
    sharesOf: Number.NaN,
    shares: new Float64Array(bins + 1),
    lasting: new Float32Array(bridge > 0 ? bins + 1 : 0),
    along: new Float32Array(bins + 1),
    /** the column that the two medians along time are known of */
    alongOf: Number.NaN,
    /** the most that is kept around it; NaN until asked for */
    mostOf: Number.NaN,
    most: new Float64Array(bridge > 0 ? bins + 1 : 0),
    spectra: input.map(() => new Float32Array(length + 2)),
  }))
  const across = new Float32Array(bins + 1)
  // hits come and go within the reach: the lowest but one is what lasts under them
  const alongTime = ranks(2 * reach + 1, bins + 1)
  const acrossFrequency = slidingMedian(bins + 1, Math.max(1, shape.bandBins(length) >> 1))

  function columnAt(k: number) {
    const column = columns[((k % kept) + kept) % kept] as (typeof columns)[number]
    if (column.index === k) return column
    column.index = k
    column.sharesOf = Number.NaN
    column.mostOf = Number.NaN
    column.alongOf = Number.NaN
    const start = k * hop - bins
    shape.prepare?.(start, start + length)
    column.magnitudes.fill(0)
    // found out where it is first needed: it takes some milliseconds
    if (shape.end && start + length > frames) end ??= shape.end()
    const { from, channels: of } = start + length > frames && end ? end : { from: 0, channels: input }
    for (let c = 0; c < channelCount; c += 2) {
      const pair = [column.spectra[c] as Float32Array, column.spectra[c + 1] ?? spare] as const
      reader.halves(pair, of[c] as Float32Array, start - from, of[c + 1], start - from)
    }
    addUp(column.magnitudes, column.spectra)
    return column
  }

  const starts = shape.attacks ?? []
  const briefLength = length / BRIEF
  const briefReader = columnReader(briefLength)
  const brief = new Float32Array(bins + 1)
  let briefOf = Number.NaN

  /** Keep no more in column k than its bins had before the first attack that it reaches over. */
  function holdDown(k: number, magnitudes: Float32Array) {
    const attack = starts[lowerBound(starts, k * hop - bins + 1)]
    if (attack === undefined || attack >= k * hop + bins) return
    const before = columnAt(Math.floor((attack - bins) / hop)).magnitudes
    const justBefore = briefBefore(attack)
    for (let b = 0; b <= bins; b++) {
      const level = magnitudes[b] as number
      const most = Math.min(before[b] as number, justBefore[b] as number)
      if (level > GROWN * most) shares[b] = Math.min(shares[b] as number, most / level)
    }
  }

  /** The magnitude of a tone of each bin in a brief window right before an attack: what died away earlier is gone. */
  function briefBefore(attack: number): Float32Array {
    if (briefOf === attack) return brief
    briefOf = attack
    const wide = new Float32Array(briefLength / 2 + 1)
    const spectra = input.map(() => new Float32Array(briefLength + 2))
    const start = attack - briefLength
    shape.prepare?.(start, attack)
    for (let c = 0; c < channelCount; c += 2) {
      const pair = [spectra[c] as Float32Array, spectra[c + 1] ?? new Float32Array(briefLength + 2)] as const
      briefReader.halves(pair, input[c] as Float32Array, start, input[c + 1], start)
    }
    addUp(wide, spectra)
    for (let b = 0; b <= bins; b++) {
      const at = Math.floor(b / BRIEF)
      brief[b] = MORE * BRIEF * Math.max(wide[at] as number, wide[Math.min(briefLength / 2, at + 1)] as number)
    }
    return brief
  }

  function sharesAt(k: number) {
    const column = columnAt(k)
    if (column.sharesOf === k) return column
    column.sharesOf = k
    acrossFrequency(across, column.magnitudes)
    if (column.alongOf !== k) lookAlong(k)
    const { along, shares } = column
    if (shape.keeps === 'what lasts') standingOut(shares, along, across, ...shape.edges)
    else standingOut(shares, across, along, ...shape.edges)
    return column
  }

  /** The medians along time of column k and of those that are found with it. */
  function lookAlong(k: number) {
    const first = Math.floor(k / batch) * batch + (((k % stride) + stride) % stride)
    const around = Array.from(
      { length: 2 * reach + RANKS_AT_ONCE },
      (_, n) => columnAt(first + (n - reach) * stride).magnitudes,
    )
    const found = Array.from({ length: RANKS_AT_ONCE }, (_, n) => columnAt(first + n * stride))
    found.forEach((column, n) => {
      column.alongOf = first + n * stride
    })
    alongTime(
      around,
      found.map((column) => column.along),
      bridge > 0 ? found.map((column) => column.lasting) : undefined,
    )
  }

  /** The most of each bin that is kept within a bridge of column k. */
  function mostAt(k: number): Float64Array {
    const column = columnAt(k)
    if (column.mostOf === k) return column.most
    column.mostOf = k
    column.most.set(sharesAt(k - bridge).shares)
    for (let n = 1 - bridge; n <= bridge; n++) keepMost(column.most, sharesAt(k + n).shares)
    return column.most
  }

  return {
    channelCount: shaped.length,
    hop,
    length,
    lead: -bins,
    reset() {},
    *learn(frame) {
      // the segments that reach over it, as `overlapAddVoice` will lay them
      const first = Math.floor((frame - bins) / hop) + 1
      // as many columns as are kept: those around the first of the segments
      const around = reach * stride + 2 * bridge + batch
      for (let k = first - around; k < first + around; k++) {
        columnAt(k)
        if (k % LEARN_AT_ONCE === 0) yield
      }
      for (let k = first - 2 * bridge; k < first + OVERLAP + 2 * bridge; k++) {
        sharesAt(k)
        yield
      }
    },
    addSegment(k, sum) {
      const own = sharesAt(k)
      if (bridge === 0) shares.set(own.shares)
      else {
        // closing along time: the least of the most, so that only gaps are filled
        closed.set(mostAt(k - bridge))
        for (let n = 1 - bridge; n <= bridge; n++) keepLeast(closed, mostAt(k + n))
        for (let b = 0; b <= bins; b++) {
          const least = closed[b] as number
          const open = own.shares[b] as number
          const level = own.magnitudes[b] as number
          shares[b] =
            least <= open || level === 0 ? open : Math.max(open, Math.min(least, (own.lasting[b] as number) / level))
        }
      }
      if (shape.raise) {
        const around = Array.from({ length: 2 * levelReach + 1 }, (_, n) => columnAt(k + n - levelReach).magnitudes)
        shape.raise(shares, k * hop, around)
      }
      holdDown(k, own.magnitudes)
      if (givesOther) toPowers(shares, others)
      own.spectra.forEach((channel, c) => {
        scaled(shaped[c] as Float32Array, channel, shares)
        if (givesOther) scaled(shaped[channelCount + c] as Float32Array, channel, others)
      })
      lay(shaped, sum, scale)
    },
  }
}
