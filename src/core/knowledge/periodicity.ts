import type { Attack } from '../analysis/attacks'
import { type Novelty, STEPS_PER_SECOND } from '../analysis/novelty'
import { complexFft } from '../dsp/fft'
import { square } from '../dsp/portable'
import { nearestPowerOfTwo } from '../dsp/units'

export const TEMPO_RANGE = { min: 40, max: 240 } as const

/** lags between which a maximum is looked for, since nobody plays to the millisecond */
const LAG_TOLERANCE = 0.012
const MEAN_SECONDS = 0.4
const MOST_CANDIDATES = 12

/** How alike a curve is to another a lag later: 1 is as alike as to itself at once. */
type Likeness = (seconds: number) => number

/** What of a novelty curve stands out from its surroundings; compressed, so that one loud hit does not speak alone. */
export function standingOut(curve: Float64Array): Float64Array {
  const reach = Math.round(MEAN_SECONDS * STEPS_PER_SECOND)
  const sums = new Float64Array(curve.length + 1)
  for (let i = 0; i < curve.length; i++) sums[i + 1] = (sums[i] as number) + (curve[i] as number)
  return curve.map((value, i) => {
    const from = Math.max(0, i - reach)
    const to = Math.min(curve.length, i + reach + 1)
    const mean = ((sums[to] as number) - (sums[from] as number)) / (to - from)
    return Math.sqrt(Math.max(0, value - mean))
  })
}

/** Likeness of two curves, unbiased by how much of them overlaps. */
function likenessOf(a: Float64Array, b: Float64Array): Likeness & { exactly: Likeness } {
  const size = nearestPowerOfTwo(4 * a.length, 64)
  const fft = complexFft(size)
  const packed = fft.create()
  const spectrum = fft.create()
  const mean = (x: Float64Array) => x.reduce((sum, v) => sum + v, 0) / Math.max(1, x.length)
  const meanA = mean(a)
  const meanB = mean(b)
  let powerA = 0
  let powerB = 0
  for (let i = 0; i < a.length; i++) {
    const x = (a[i] as number) - meanA
    const y = (b[i] as number) - meanB
    packed[2 * i] = x
    packed[2 * i + 1] = y
    powerA += x * x
    powerB += y * y
  }
  fft.forward(spectrum, packed)
  for (let k = 0; k <= size / 2; k++) {
    const m = (size - k) % size
    const ar = 0.5 * ((spectrum[2 * k] as number) + (spectrum[2 * m] as number))
    const ai = 0.5 * ((spectrum[2 * k + 1] as number) - (spectrum[2 * m + 1] as number))
    const br = 0.5 * ((spectrum[2 * k + 1] as number) + (spectrum[2 * m + 1] as number))
    const bi = 0.5 * ((spectrum[2 * m] as number) - (spectrum[2 * k] as number))
    const re = ar * br + ai * bi
    const im = ar * bi - ai * br
    packed[2 * k] = re
    packed[2 * k + 1] = im
    packed[2 * m] = re
    packed[2 * m + 1] = -im
  }
  fft.inverse(spectrum, packed)
  const scale = Math.sqrt(powerA * powerB)
  const frames = a.length
  const at = (lag: number) =>
    scale > 0 && lag < frames
      ? ((spectrum[2 * lag] as number) / scale) * (frames / Math.max(frames - lag, 0.25 * frames))
      : 0
  const near = (seconds: number) => {
    const lag = seconds * STEPS_PER_SECOND
    const reach = Math.max(2, LAG_TOLERANCE * lag)
    if (lag + reach > 0.95 * frames) return 0
    let most = Number.NEGATIVE_INFINITY
    for (let i = Math.floor(lag - reach); i <= Math.ceil(lag + reach); i++) most = Math.max(most, at(i))
    return most
  }
  const exactly = (seconds: number) => {
    const lag = seconds * STEPS_PER_SECOND
    const below = Math.floor(lag)
    return at(below) + (lag - below) * (at(below + 1) - at(below))
  }
  return Object.assign(near, { exactly })
}

export interface Periodicity {
  readonly seconds: number
  readonly all: Likeness
  readonly low: Likeness
  readonly high: Likeness
  readonly lowThenHigh: Likeness
  readonly strokes: readonly Stroke[]
  /** A beat of about this length, as exactly as the longest repeats tell, seconds. */
  refine(beat: number): number
}

/** An attack as rhythm sees it: when, and how much of it lies low and high. */
export interface Stroke {
  readonly seconds: number
  readonly all: number
  readonly low: number
  readonly high: number
}

export function strokesOf(novelty: Novelty, attacks: readonly Attack[], sampleRate: number): Stroke[] {
  const near = Math.round(0.02 * STEPS_PER_SECOND)
  return attacks.map(({ frame }) => {
    const column = Math.round(frame / novelty.hop)
    const most = (curve: Float64Array) => {
      let value = 0
      for (let n = Math.max(0, column - near); n <= Math.min(curve.length - 1, column + near); n++)
        value = Math.max(value, curve[n] as number)
      return Math.sqrt(value)
    }
    return { seconds: frame / sampleRate, all: most(novelty.all), low: most(novelty.low), high: most(novelty.high) }
  })
}

export function periodicityOf(novelty: Novelty, seconds: number, strokes: readonly Stroke[]): Periodicity {
  const [all, low, high] = [novelty.all, novelty.low, novelty.high].map(standingOut) as [
    Float64Array,
    Float64Array,
    Float64Array,
  ]
  const whole = likenessOf(all, all)
  return {
    seconds,
    strokes,
    all: whole,
    low: likenessOf(low, low),
    high: likenessOf(high, high),
    lowThenHigh: likenessOf(low, high),
    refine(beat) {
      let best = beat
      for (const times of [4, 8, 16]) {
        if (best * times > 0.6 * seconds) break
        let most = Number.NEGATIVE_INFINITY
        let at = best
        // a step is half a column over all these beats
        const step = 0.5 / STEPS_PER_SECOND / times
        for (let n = -8; n <= 8; n++) {
          const value = whole.exactly((best + n * step) * times)
          if (value > most) {
            most = value
            at = best + n * step
          }
        }
        if (most > 0.1) best = at
      }
      return best
    },
  }
}

/** What speaks for and against a beat of this length. */
export function featuresOf(p: Periodicity, beat: number): number[] {
  const x = Math.log2(60 / beat / 105)
  const density = Math.log2(Math.max(0.05, (p.strokes.length / p.seconds) * beat))
  const bars = p.seconds / (4 * beat)
  const off = Math.abs(bars - Math.max(1, Math.round(bars))) * 4 * beat
  const fits = Math.exp(-square(off / 0.03))
  return [
    x,
    x * x,
    density,
    density * density,
    p.all(beat / 4),
    p.all(beat / 2),
    p.all(beat / 3),
    p.all(beat),
    p.all(1.5 * beat),
    p.all(2 * beat),
    p.all(3 * beat),
    p.all(4 * beat),
    p.low(beat / 2),
    p.low(beat),
    p.low(1.5 * beat),
    p.low(2 * beat),
    p.low(4 * beat),
    p.high(beat / 4),
    p.high(beat / 2),
    p.high(beat),
    p.high(2 * beat),
    p.high(4 * beat),
    p.lowThenHigh(beat / 4),
    p.lowThenHigh(beat / 2),
    p.lowThenHigh(beat),
    p.lowThenHigh(2 * beat),
    fits,
    Math.round(bars) > 0 && (Math.round(bars) & (Math.round(bars) - 1)) === 0 ? fits : 0,
    ...metreOf(p.strokes, beat),
  ]
}

const ON_GRID = 0.07
const PLACES = 48

/**
 * How strokes lie in a beat of this length: shares of their strength on the beat, half way, on the quarters between, for all,
 * low and high; and how low and high take turns from beat to beat.
 */
function metreOf(strokes: readonly Stroke[], beat: number): number[] {
  let best = 0
  let most = -1
  const close = (x: number) => Math.max(0, 1 - Math.abs(x - Math.round(x)) / ON_GRID)
  for (let n = 0; n < PLACES; n++) {
    const phase = n / PLACES
    let score = 0
    for (const stroke of strokes) {
      const u = stroke.seconds / beat - phase
      const weight = stroke.all + stroke.low
      score += weight * (close(u) + 0.6 * close(u + 0.5) + 0.25 * (close(u + 0.25) + close(u - 0.25)))
    }
    if (n === 0) score *= 1.15
    if (score > most) {
      most = score
      best = phase
    }
  }
  const out: number[] = []
  const turns: number[] = []
  for (const part of ['all', 'low', 'high'] as const) {
    let total = 1e-9
    let on = 0
    let half = 0
    let quarter = 0
    let even = 0
    let odd = 0
    for (const stroke of strokes) {
      const level = stroke[part]
      const u = stroke.seconds / beat - best
      total += level
      on += level * close(u)
      half += level * close(u + 0.5)
      quarter += level * (close(u + 0.25) + close(u - 0.25))
      if (Math.abs(Math.round(u)) % 2 === 0) even += level * close(u)
      else odd += level * close(u)
    }
    out.push(on / total, half / total, quarter / total)
    turns.push((even - odd) / (even + odd + 1e-9))
  }
  const [, low, high] = turns as [number, number, number]
  return [...out, -low * high, Math.abs(low), Math.abs(high)]
}

/** Beat lengths worth asking about: where the sound is like itself, and the halves, doubles and thirds of those. */
export function likelyBeats(p: Periodicity): number[] {
  const { min, max } = TEMPO_RANGE
  const grid: { beat: number; score: number }[] = []
  for (let beat = 60 / max; beat <= 60 / min; beat *= 1.006) {
    const score = p.all(beat) + 0.6 * p.all(2 * beat) + 0.4 * p.all(4 * beat) + 0.3 * p.all(beat / 2)
    grid.push({ beat, score })
  }
  const peaks = grid
    .filter(({ score }, i) => score >= (grid[i - 1]?.score ?? -1) && score > (grid[i + 1]?.score ?? -1) && score > 0)
    .sort((a, b) => b.score - a.score)
    .slice(0, 6)
  const found: number[] = []
  for (const ratio of [1, 2, 0.5, 1.5, 2 / 3, 4, 0.25, 3, 1 / 3]) {
    for (const { beat } of peaks.slice(0, ratio === 1 ? 6 : 3)) {
      const other = beat * ratio
      if (other < 60 / max || other > 60 / min) continue
      if (found.some((known) => Math.abs(Math.log2(known / other)) < 0.03)) continue
      found.push(other)
    }
  }
  return found.slice(0, MOST_CANDIDATES)
}
