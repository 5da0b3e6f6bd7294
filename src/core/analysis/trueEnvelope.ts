import { type ComplexFft, complexFft } from '../dsp/fft'
import { ln } from '../dsp/portable'

const FLOOR = 1e-9
const MAX_ROUNDS = 10
/** the envelope may lie this far below a partial, in natural log units (2 dB) */
const TOLERANCE = 0.23025850929940458

/** partials lie within this of the strongest one, in natural log units (35 dB) */
const PARTIAL_DEPTH = 4.03
/** of partials far apart, fainter ones count as well (60 dB) */
const FAINT_DEPTH = 6.9
/** no cepstrum shows the period of a sound above this */
const HIGH_HZ = 500

/** One of two spectra on its way to its envelope. */
interface Side {
  readonly logs: Float64Array
  readonly envelope: Float64Array
  /** the larger of spectrum and envelope: what the next round smooths */
  readonly target: Float64Array
  order: number
  /** how far apart its partials lie, Hz */
  spacing: number
  rests: boolean
}

/**
 * The spectral envelopes that rest on the partials of two spectrum columns, as natural log magnitudes. Both are real and even, so
 * they share every transform.
 *
 * Shape   `a`, `b` (magnitudes) and the results are `[fftFrames / 2 + 1]`; results are overwritten by the next call.
 * Method  cepstral smoothing, repeated on the larger of spectrum and envelope until no partial stands out by more than
 *         2 dB. The cepstral order is half the pitch period (0.65 with a falling edge). The period is that of partials
 *         more than 500 Hz apart, where there are no others; else what the cepstrum shows between 60 and 500 Hz; else
 *         that of a 200 Hz voice.
 * Source  Röbel & Rodet 2005, "Efficient Spectral Envelope Estimation and its Application to Pitch Shifting".
 */
export function createTrueEnvelopes(fftFrames: number, sampleRate: number) {
  const fft: ComplexFft = complexFft(fftFrames)
  const half = fftFrames / 2
  const work = fft.create()
  const cepstrum = fft.create()
  const side = (): Side => ({
    logs: new Float64Array(half + 1),
    envelope: new Float64Array(half + 1),
    target: new Float64Array(half + 1),
    order: 0,
    spacing: 0,
    rests: false,
  })
  const sides = [side(), side()] as const

  function toCepstrum() {
    const [a, b] = [sides[0].target, sides[1].target]
    for (let k = 0; k <= half; k++) {
      const re = a[k] as number
      const im = b[k] as number
      work[2 * k] = re
      work[2 * k + 1] = im
      if (k > 0 && k < half) {
        work[2 * (fftFrames - k)] = re
        work[2 * (fftFrames - k) + 1] = im
      }
    }
    fft.inverse(cepstrum, work)
  }

  /**
   * The bins of partials: what stands out of its neighbours, and lies within a depth of the strongest one. Of a whistle
   * there are few, of noise many.
   */
  function partialsOf({ logs }: Side, depth: number): number[] {
    let top = Number.NEGATIVE_INFINITY
    for (let k = 1; k < half; k++) top = Math.max(top, logs[k] as number)
    const partials: number[] = []
    for (let k = 2; k < half - 1; k++) {
      const level = logs[k] as number
      if (level < top - depth || level < (logs[k - 1] as number) || level <= (logs[k + 1] as number)) continue
      partials.push(k)
    }
    return partials
  }

  /** How far apart partials lie, Hz, in the middle: from 0 Hz to the first one and so on. */
  function spacingOf(partials: readonly number[]): number {
    const gaps = partials.map((k, i) => k - (partials[i - 1] ?? 0)).sort((a, b) => a - b)
    return ((gaps[gaps.length >> 1] ?? 0) * sampleRate) / fftFrames
  }

  function orderFromPitch(part: 0 | 1): number {
    const { spacing } = sides[part]
    if (spacing > HIGH_HZ) return orderOf(sampleRate / spacing)
    const low = Math.max(2, Math.floor(sampleRate / HIGH_HZ))
    const high = Math.min(half - 1, Math.ceil(sampleRate / 60))
    let best = 0
    let bestAt = 0
    let sum = 0
    for (let q = low; q <= high; q++) {
      const level = cepstrum[2 * q + part] as number
      sum += level * level
      if (level > best) {
        best = level
        bestAt = q
      }
    }
    const spread = Math.sqrt(sum / Math.max(1, high - low + 1))
    const period = best > 4 * spread ? bestAt : sampleRate / 200
    return orderOf(period)
  }

  const orderOf = (period: number) => Math.max(8, Math.min(half / 2, Math.round(0.65 * period)))

  function smooth(part: 0 | 1, { order }: Side, longest: number) {
    for (let q = 1; q <= longest; q++) {
      // flat to the half, then falling: a lifter that falls from the start (Hamming) flattens narrow formants and
      // leaves them 8 to 13 % off in a shift by 5 semitones; this one scatters within 4 % and is 1 % off in the mean
      const keep = Math.max(0, Math.min(1, 2 * (1 - q / order)))
      const here = 2 * q + part
      const mirror = 2 * (fftFrames - q) + part
      cepstrum[here] = (cepstrum[here] as number) * keep
      cepstrum[mirror] = (cepstrum[mirror] as number) * keep
    }
  }

  function take(part: 0 | 1, { logs, envelope, target }: Side): boolean {
    let worst = 0
    for (let k = 0; k <= half; k++) {
      const value = work[2 * k + part] as number
      const log = logs[k] as number
      envelope[k] = value
      worst = Math.max(worst, log - value)
      target[k] = Math.max(log, value)
    }
    return worst < TOLERANCE
  }

  return (a: Float64Array, b: Float64Array): readonly [Float64Array, Float64Array] => {
    for (const [part, magnitudes] of [a, b].entries()) {
      const own = sides[part as 0 | 1]
      for (let k = 0; k <= half; k++) own.logs[k] = ln(Math.max(FLOOR, magnitudes[k] as number))
      const partials = partialsOf(own, PARTIAL_DEPTH)
      own.spacing = spacingOf(partials)
      // nothing says how the envelope goes on below the first partial: a valley there would draw it down at that one
      const first = partials[0] ?? 0
      own.logs.fill(own.logs[first] as number, 0, first)
      // rounds of smoothing would not come up to partials as far apart as that: lines between them do
      if (own.spacing > HIGH_HZ) fillBetween(own.logs, partialsOf(own, FAINT_DEPTH))
      own.target.set(own.logs)
      own.rests = false
    }
    for (let round = 0; round < MAX_ROUNDS && !(sides[0].rests && sides[1].rests); round++) {
      toCepstrum()
      if (round === 0) for (const part of [0, 1] as const) sides[part].order = orderFromPitch(part)
      const longest = Math.max(sides[0].order, sides[1].order)
      cepstrum.fill(0, 2 * longest + 2, 2 * (fftFrames - longest))
      for (const part of [0, 1] as const) smooth(part, sides[part], longest)
      fft.forward(work, cepstrum)
      // what rests already is done, however long the other takes
      for (const part of [0, 1] as const) if (!sides[part].rests) sides[part].rests = take(part, sides[part])
    }
    return [sides[0].envelope, sides[1].envelope]
  }
}

/** Lines from each partial to the next one, where they lie above what is there. */
function fillBetween(logs: Float64Array, partials: readonly number[]) {
  for (let i = 1; i < partials.length; i++) {
    const from = partials[i - 1] as number
    const to = partials[i] as number
    const rise = ((logs[to] as number) - (logs[from] as number)) / (to - from)
    for (let k = from + 1; k < to; k++)
      logs[k] = Math.max(logs[k] as number, (logs[from] as number) + (k - from) * rise)
  }
}
