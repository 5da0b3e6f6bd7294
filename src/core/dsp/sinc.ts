import { positionKernel, type ReadPositions, type SincTable } from '../kernels/resample'
import { exp2, log2, sinTurns } from './portable'
import { kaiser, kaiserBeta } from './window'

/**
 * Band-limited reading between samples.
 *
 * A Kaiser-windowed sinc, tabulated phase by phase so that the taps for one position lie side by side; two neighbouring
 * phases are blended linearly. When the reader moves faster than one source frame per output frame, the kernel is
 * widened by that speed, so that nothing above the new Nyquist passes.
 *
 * Figures  at width 96 and 110 dB the stop-band starts at Nyquist of the slower side, the pass-band is flat to 0.85 of
 *          it; at width 64 and 94 dB to 0.81 of it; at 184 and 132 dB to 0.905 of it.
 * Source  Smith & Gossett 1984, "A Flexible Sampling-Rate Conversion Method"; Kaiser 1974 for the window.
 */
export interface SincReader {
  /** source frames on either side of a position that the kernel may touch */
  readonly reachFrames: number
  /**
   * Read all channels at the fractional frame `position`; frames outside the arrays count as 0.
   * Shape  `values[c]` receives channel c at offset `at`.
   */
  readInto(channels: readonly Float32Array[], position: number, values: readonly Float32Array[], at: number): void
  /**
   * Read at the first `count` of rising positions: what `readInto` gives for each, to single precision, many times as fast.
   * Shape  `values[c]` receives channel c from offset `at` on.
   */
  readManyInto: ReadPositions
}

/** table rows per source frame at speed 1: linear blending between rows stays below −118 dB */
const PHASES = 512
/** the same where it has to stay below −130 dB */
const FINE_PHASES = 2048

const tables = new Map<string, SincTable>()

/**
 * Units  `width` in zero crossings of the kernel in all (even, 8–256); `speed` in source frames per output frame;
 *        `attenuationDb` of the stop-band, at the price of a wider transition.
 * @param fine  rows lie where a speed of whole numbers reads, so that none are blended; closer where they are many.
 * @throws {RangeError} if width or speed is out of range.
 */
export function createSincReader(width: number, speed: number, attenuationDb = 110, fine = false): SincReader {
  if (!(width >= 8 && width <= 256)) throw new RangeError(`createSincReader: width must be 8..256, got ${width}`)
  if (!(speed >= 0 && Number.isFinite(speed))) {
    throw new RangeError(`createSincReader: speed must be finite and not negative, got ${speed}`)
  }
  const few = stepsOf(speed)
  const steps = few ?? 1
  const widened = Math.max(1, speed)
  const count = fine ? (few ?? FINE_PHASES) : Math.max(32, Math.ceil(PHASES / widened))
  const table = tableFor(width, widened, attenuationDb, count)
  const { rows, phases, half } = table
  const taps = 2 * half
  const exact: (Float64Array | undefined)[] = new Array(steps)

  /** The weights for a position `share` of the way from one frame to the next. */
  function blendInto(out: Float64Array, share: number) {
    const row = share * phases
    const whole = Math.min(phases - 1, Math.floor(row))
    const blend = row - whole
    for (let k = 0; k < taps; k++) {
      const low = rows[whole * taps + k] as number
      out[k] = low + blend * ((rows[(whole + 1) * taps + k] as number) - low)
    }
    return out
  }

  /** Weights made once, where a position is one of the few at which a speed of small whole numbers reads; else undefined. */
  function exactAt(share: number): Float64Array | undefined {
    const place = share * steps
    const step = Math.round(place)
    if (step === steps || Math.abs(place - step) > ON_STEP) return undefined
    exact[step] ??= blendInto(new Float64Array(taps), step / steps)
    return exact[step]
  }

  const readInto: SincReader['readInto'] = (channels, position, values, at) => {
    // a hair below a frame is that frame
    const base = Math.floor(position + ON_STEP / steps)
    const share = Math.max(0, position - base)
    const fixed = exactAt(share)
    if (fixed) {
      readFixed(fixed, channels, base - half + 1, values, at)
      return
    }
    const row = share * phases
    const whole = Math.min(phases - 1, Math.floor(row))
    const blend = row - whole
    const offset = whole * taps
    const first = base - half + 1
    for (let c = 0; c < channels.length; c += 2) {
      const a = channels[c] as Float32Array
      const b = channels[c + 1]
      const from = Math.max(0, -first)
      const to = Math.min(taps, a.length - first)
      if (b) addPair(rows, offset, taps, blend, a, b, first, from, to, values[c]!, values[c + 1]!, at)
      else (values[c] as Float32Array)[at] = sumOne(rows, offset, taps, blend, a, first, from, to)
    }
  }

  const readMany: ReadPositions = (channels, positions, count, values, at) => {
    for (let n = 0; n < count; n++) readInto(channels, positions[n] as number, values, at + n)
  }
  return { reachFrames: half, readInto, readManyInto: positionKernel(table, ON_STEP / steps) ?? readMany }
}

/** how near a step a position has to be to count as on it, in steps: 120 dB below what it reads */
const ON_STEP = 1e-6
const MOST_STEPS = 1024

/** How many steps of a frame a reader of this speed ever reads at; undefined where they are too many to keep. */
function stepsOf(speed: number): number | undefined {
  for (let steps = 1; steps <= MOST_STEPS; steps++) {
    const whole = speed * steps
    if (whole >= 1 && Math.abs(whole - Math.round(whole)) < 1e-11 * steps) return steps
  }
  return undefined
}

const STEPS_PER_OCTAVE = 24

/**
 * Readers for a speed that moves: the cut-off follows in steps of half a semitone, always at or below where it has to be, so
 * that a glide asks for a few kernels and not for one a frame.
 */
export function createSteppedSincReaders(width: number, attenuationDb = 110): (speed: number) => SincReader {
  let reader: SincReader | undefined
  let readerStep = Number.NaN
  return (speed) => {
    const step = speed <= 1 ? 0 : Math.ceil(log2(speed) * STEPS_PER_OCTAVE)
    if (!reader || step !== readerStep) {
      reader = createSincReader(width, exp2(step / STEPS_PER_OCTAVE), attenuationDb)
      readerStep = step
    }
    return reader
  }
}

// The two hot loops: one pass over the taps, summed under both neighbouring rows, the two sums blended at the end (that
// leaves only products inside). Plain functions of typed arrays and numbers, so that one compiled form serves all.

function addPair(
  rows: Float64Array,
  offset: number,
  taps: number,
  blend: number,
  a: Float32Array,
  b: Float32Array,
  first: number,
  from: number,
  to: number,
  outA: Float32Array,
  outB: Float32Array,
  at: number,
) {
  let lowA = 0
  let lowB = 0
  let highA = 0
  let highB = 0
  let row = offset + from
  const end = first + to
  for (let i = first + from; i < end; i++, row++) {
    const x = a[i] as number
    const y = b[i] as number
    const low = rows[row] as number
    const high = rows[row + taps] as number
    lowA += low * x
    highA += high * x
    lowB += low * y
    highB += high * y
  }
  outA[at] = lowA + blend * (highA - lowA)
  outB[at] = lowB + blend * (highB - lowB)
}

function sumOne(
  rows: Float64Array,
  offset: number,
  taps: number,
  blend: number,
  samples: Float32Array,
  first: number,
  from: number,
  to: number,
): number {
  let low = 0
  let high = 0
  let row = offset + from
  const end = first + to
  for (let i = first + from; i < end; i++, row++) {
    const x = samples[i] as number
    low += (rows[row] as number) * x
    high += (rows[row + taps] as number) * x
  }
  return low + blend * (high - low)
}

/** One position under weights that are there already: two channels in one pass. */
function readFixed(
  weights: Float64Array,
  channels: readonly Float32Array[],
  first: number,
  values: readonly Float32Array[],
  at: number,
) {
  for (let c = 0; c < channels.length; c += 2) {
    const a = channels[c] as Float32Array
    const b = channels[c + 1]
    const out = values[c] as Float32Array
    if (b) weighPair(weights, a, b, first, out, values[c + 1] as Float32Array, at)
    else weighRun(weights, a, first, 1, out, at)
  }
}

function weighPair(
  weights: Float64Array,
  a: Float32Array,
  b: Float32Array,
  first: number,
  outA: Float32Array,
  outB: Float32Array,
  at: number,
) {
  const from = Math.max(0, -first)
  const to = Math.min(weights.length, a.length - first)
  let evenA = 0
  let evenB = 0
  let oddA = 0
  let oddB = 0
  let k = from
  for (; k + 1 < to; k += 2) {
    const i = first + k
    const even = weights[k] as number
    const odd = weights[k + 1] as number
    evenA += even * (a[i] as number)
    evenB += even * (b[i] as number)
    oddA += odd * (a[i + 1] as number)
    oddB += odd * (b[i + 1] as number)
  }
  if (k < to) {
    evenA += (weights[k] as number) * (a[first + k] as number)
    evenB += (weights[k] as number) * (b[first + k] as number)
  }
  outA[at] = evenA + oddA
  outB[at] = evenB + oddB
}

/** `out[at + n]` = Σ weights[k] · samples[first + n + k]; frames outside the array count as 0. */
function weighRun(
  weights: Float64Array,
  samples: Float32Array,
  first: number,
  count: number,
  out: Float32Array,
  at: number,
) {
  const taps = weights.length
  for (let n = 0; n < count; n++) {
    const start = first + n
    const from = Math.max(0, -start)
    const to = Math.min(taps, samples.length - start)
    let sum = 0
    for (let k = from; k < to; k++) sum += (weights[k] as number) * (samples[start + k] as number)
    out[at + n] = sum
  }
}

const MASTER_STEPS = 4096
const masters = new Map<string, Float64Array>()

/** The right half of the kernel, finely sampled: working out a Bessel function for every tap of every row is slow. */
function masterFor(width: number, attenuationDb: number): Float64Array {
  const key = `${width} ${attenuationDb}`
  const known = masters.get(key)
  if (known) return known
  // the transition of a Kaiser design, as a fraction of Nyquist, lies wholly below it: the stop-band starts at Nyquist
  const transition = (attenuationDb - 8) / (2.285 * Math.PI * width)
  const cutoff = Math.max(0.3, 1 - transition / 2)
  const beta = kaiserBeta(attenuationDb)
  const master = Float64Array.from({ length: (width / 2) * MASTER_STEPS + 2 }, (_, i) => {
    const distance = i / MASTER_STEPS
    const halfTurns = cutoff * distance
    return (
      cutoff *
      (halfTurns === 0 ? 1 : sinTurns(halfTurns / 2) / (Math.PI * halfTurns)) *
      kaiser(distance / (width / 2), beta)
    )
  })
  masters.set(key, master)
  return master
}

function tableFor(width: number, speed: number, attenuationDb: number, phases: number): SincTable {
  const key = `${width} ${speed} ${attenuationDb} ${phases}`
  const known = tables.get(key)
  if (known) return known
  const master = masterFor(width, attenuationDb)
  const half = Math.ceil((width / 2) * speed)
  const taps = 2 * half
  // double precision: the loop sums in it, and to widen each weight first costs more than the cache that it saves
  const rows = new Float64Array((phases + 1) * taps)
  for (let phase = 0; phase <= phases; phase++) {
    let sum = 0
    for (let k = 0; k < taps; k++) {
      const place = (Math.abs(phase / phases - (k - half + 1)) / speed) * MASTER_STEPS
      const i = Math.floor(place)
      if (i > master.length - 2) continue
      const low = master[i] as number
      const value = low + (place - i) * ((master[i + 1] as number) - low)
      rows[phase * taps + k] = value
      sum += value
    }
    // every row passes DC alike: otherwise a constant would ripple at the phase rate
    for (let k = 0; k < taps; k++) rows[phase * taps + k] = (rows[phase * taps + k] as number) / sum
  }
  const table = { rows, phases, half }
  // speeds come from sliders: keep the few last used, not every one ever seen
  if (tables.size > 32) tables.delete(tables.keys().next().value as string)
  tables.set(key, table)
  return table
}
