import { mixOf } from '../analysis/mix'
import type { PitchTrack } from '../analysis/pitchTrack'
import { createTrueEnvelopes } from '../analysis/trueEnvelope'
import { frameCount } from '../audio/block'
import { nearestPowerOfTwo } from '../dsp/units'
import type { Task } from '../task'
import { asOutput } from '../timeline/axes'
import { type Artefact, unmeasured } from './artefacts'
import { type Comparison, originOf } from './comparison'
import { createSpectra } from './spectra'
import { median } from './statistics'
import { createSpans } from './step'

const STEP_SECONDS = 0.06
const MOST_STEPS = 400
const CLEAR = 0.8
/** looks between two breaths */
const BREATH = 8
/** a voice's formants lie here, Hz */
const LOW_HZ = 250
const HIGH_HZ = 4200
const POINTS_PER_OCTAVE = 48
/** how far a shift is looked for, octaves */
const REACH = 1
/** the two envelopes must be this alike at the best shift, or nothing is said */
const LEAST_ALIKE = 0.85
const BENEFIT = 0.06
/** a voice has harmonics close enough to show its envelope */
const LOWEST_VOICE_HZ = 70
const HIGHEST_VOICE_HZ = 300
/** share of the steps that have to show formants, and how many at least */
const VOICE_SHARE = 0.25
const LEAST_SHIFTS = 6
/** steps on either side whose median a step is given, and what is one place */
const AROUND = 3
const PLACE_SECONDS = 0.4
/** and the source's envelope must have this much relief, dB rms */
const LEAST_RELIEF_DB = 4

/**
 * How far the spectral envelope lies off its place, in %, where the source is one clear voice: the shift on a log-frequency axis
 * at which the two envelopes are most alike, against the shift that was wanted.
 */
export function* formantShiftOf(comparison: Comparison, source: PitchTrack, result: PitchTrack): Task<Artefact> {
  const { sampleRate } = comparison.source
  const size = nearestPowerOfTwo(0.0427 * sampleRate, 256)
  const readSource = createSpectra({ sampleRate, channels: [mixOf(comparison.source)] }, size)
  const readResult = createSpectra({ sampleRate, channels: [mixOf(comparison.result)] }, size)
  const envelopesOf = createTrueEnvelopes(size, sampleRate)
  const frames = frameCount(comparison.result)
  const step = Math.max(STEP_SECONDS * sampleRate, frames / MOST_STEPS)
  const spans = createSpans(comparison, PLACE_SECONDS)
  const shifts: { at: number; origin: number; percent: number }[] = []
  let looked = 0
  const count = Math.ceil(Math.log2(HIGH_HZ / LOW_HZ) * POINTS_PER_OCTAVE)
  const wide = Math.round(REACH * POINTS_PER_OCTAVE)
  for (let at = step; at < frames - step; at += step) {
    const origin = originOf(comparison, at)
    const f0 = pitchAt(source, origin)
    if (looked++ % BREATH === BREATH - 1) yield { doneFrames: Math.round(at), totalFrames: frames }
    if (!isVoice(f0) || pitchAt(result, at) < LOWEST_VOICE_HZ) continue
    const ratio = comparison.formantRatioAt(asOutput(comparison.from + at))
    const [wanted, found] = envelopesOf(magnitudes(readSource(origin).power), magnitudes(readResult(at).power))
    const want = withoutTilt(sampled(wanted, size, sampleRate, LOW_HZ, count))
    if (relief(want) < LEAST_RELIEF_DB) continue
    const got = sampled(found, size, sampleRate, LOW_HZ * ratio * 2 ** -REACH, count + 2 * wide)
    const best = bestShift(want, got, wide)
    if (!best || best.alike < LEAST_ALIKE) continue
    const percent = 100 * Math.abs(2 ** (best.shift / POINTS_PER_OCTAVE) - 1)
    shifts.push({ at, origin, percent })
  }
  // a voice has its formants most of the time; a rattle or a bell looks like one now and then
  if (shifts.length < Math.max(LEAST_SHIFTS, VOICE_SHARE * looked)) return unmeasured('formant-shift')
  // one reading may take another hump for its own: what most around it say counts
  shifts.forEach(({ at, origin }, n) => {
    const around = shifts.slice(Math.max(0, n - AROUND), n + AROUND + 1).map(({ percent }) => percent)
    spans.add(at, origin, median(around))
  })
  return {
    id: 'formant-shift',
    measured: true,
    value: median(shifts.map(({ percent }) => percent)),
    places: spans.places(undefined, { count: AROUND }),
    parts: {},
  }
}

const isVoice = (hz: number) => hz >= LOWEST_VOICE_HZ && hz <= HIGHEST_VOICE_HZ

function pitchAt(track: PitchTrack, frame: number): number {
  const n = Math.round(frame / track.hopFrames)
  for (let d = -2; d <= 2; d++) if ((track.hz[n + d] ?? 0) === 0 || (track.clarity[n + d] ?? 0) < CLEAR) return 0
  return track.hz[n] as number
}

function magnitudes(power: Float32Array): Float64Array {
  const roots = new Float64Array(power.length)
  for (let k = 0; k < power.length; k++) roots[k] = Math.sqrt(power[k] as number)
  return roots
}

/** Natural-log envelope as dB at even steps of log frequency; held at the ends of the spectrum. */
function sampled(envelope: Float64Array, size: number, sampleRate: number, lowHz: number, count: number): Float64Array {
  return Float64Array.from({ length: count }, (_, n) => {
    const bin = (lowHz * 2 ** (n / POINTS_PER_OCTAVE) * size) / sampleRate
    const k = Math.max(0, Math.min(envelope.length - 2, Math.floor(bin)))
    const share = Math.min(1, bin - k)
    return 8.686 * ((1 - share) * (envelope[k] as number) + share * (envelope[k + 1] as number))
  })
}

function relief(values: Float64Array): number {
  return Math.sqrt(values.reduce((s, v) => s + v * v, 0) / values.length)
}

/** The shift (in points, fractional) at which `want` correlates best with its cut of `got`. */
function bestShift(want: Float64Array, got: Float64Array, wide: number): { shift: number; alike: number } | undefined {
  const scores = new Float64Array(2 * wide + 1)
  let best = 0
  correlations(want, got, scores)
  for (let n = 0; n < scores.length; n++) if ((scores[n] as number) > (scores[best] as number)) best = n
  if (best === 0 || best === scores.length - 1) return undefined
  // two envelopes of few harmonics may be alike at several shifts: the wanted one has the benefit of the doubt
  if ((scores[wide] as number) > (scores[best] as number) - BENEFIT) {
    best = wide
    while (best > 0 && (scores[best - 1] as number) > (scores[best] as number)) best--
    while (best < scores.length - 1 && (scores[best + 1] as number) > (scores[best] as number)) best++
    if (best === 0 || best === scores.length - 1) return undefined
  }
  const left = scores[best - 1] as number
  const middle = scores[best] as number
  const right = scores[best + 1] as number
  const bend = left - 2 * middle + right
  return { shift: best + (bend === 0 ? 0 : (0.5 * (left - right)) / bend) - wide, alike: middle }
}

function lineThrough(values: Float64Array, from: number, n: number): readonly [mean: number, slope: number] {
  const middle = (n - 1) / 2
  let mean = 0
  let cross = 0
  for (let i = 0; i < n; i++) {
    mean += (values[from + i] as number) / n
    cross += (values[from + i] as number) * (i - middle)
  }
  return [mean, cross / ((n * (n * n - 1)) / 12)]
}

function withoutTilt(values: Float64Array): Float64Array {
  const [mean, slope] = lineThrough(values, 0, values.length)
  return values.map((value, i) => value - mean - slope * (i - (values.length - 1) / 2))
}

/**
 * How like `want` (which lies level already) each cut of `got` is, once a straight line is taken out of it: the tilt of a voice is no
 * formant. The line has no share in the product, since `want` has neither mean nor slope; what is left of the cut comes from running
 * sums.
 */
function correlations(want: Float64Array, got: Float64Array, scores: Float64Array) {
  const n = want.length
  const middle = (n - 1) / 2
  const spread = (n * (n * n - 1)) / 12
  const own = want.reduce((sum, value) => sum + value * value, 0)
  let sum = 0
  let sloped = 0
  let squares = 0
  for (let i = 0; i < n; i++) {
    const value = got[i] as number
    sum += value
    sloped += value * (i - middle)
    squares += value * value
  }
  for (let offset = 0; offset < scores.length; offset++) {
    let product = 0
    for (let i = 0; i < n; i++) product += (want[i] as number) * (got[offset + i] as number)
    const rest = squares - (sum * sum) / n - (sloped * sloped) / spread
    scores[offset] = product / Math.sqrt(own * Math.max(0, rest) + 1e-12)
    // one place on: all that stays lies one step further down
    const out = got[offset] as number
    const comes = got[offset + n] ?? 0
    sloped += out * middle - (sum - out) + comes * middle
    sum += comes - out
    squares += comes * comes - out * out
  }
}
