import { asOutput } from '../timeline/axes'
import type { Artefact } from './artefacts'
import { unmeasured } from './artefacts'
import type { Comparison } from './comparison'
import { powerBetween, type Spectrum } from './spectra'
import { varianceAroundLine, weightedMean } from './statistics'
import { lobe, refineBin } from './steadyTones'
import { createSpans, type Gatherer, SPAN_SECONDS, TOLD_BY_TONES } from './step'

/** bins of the long window from a partial to the next one, for its level to be read alone: in the long, in the short window */
const ALONE = 4.6
const ALONE_SHORT = 8.8
/** what lies further from a partial than this has nothing to do with its own lobe, bins of the long window */
const OWN_BINS = 4
/** what is 37 dB under the tones is masked by them, where it lies between them */
const BETWEEN_FLOOR = 2e-4
const BETWEEN_HZ = [80, 9000] as const
/** steps in which a partial is followed to tell whether it shakes, and how few will do */
const WINDOW_STEPS = 28
const LEAST_STEPS = 8
const LOUDNESS_POWER = 0.3
const MOST_CENTS = 100
const DROWNS = 0.04
/** how far off a partial is looked for: so many bins, or 60 cents where that is more */
const LEAST_REACH_BINS = 1.6
const MOST_OFF = 0.035
const LEAST_LEFT = 0.1
const CONCENTRATED = 0.8

interface Point {
  readonly resultFrame: number
  readonly sourceFrame: number
  readonly db: number
  readonly wantedDb: number
  /** variance that it has in the source by itself, and that the noise around it explains, dB² */
  readonly explained: number
  /** how much stronger the shoulders are than in the source, as a share of the partial */
  readonly shoulder: number
  readonly weight: number
}

/**
 * Steady partials of the source, followed in the result: whether they shake (flutter), lie off (detune), and whether what was
 * theirs has become diffuse between them (phasiness).
 */
export function createTones(comparison: Comparison): Gatherer<{
  flutter: Artefact
  detune: { cents: number; weight: number }[]
  detuneSpans: ReturnType<typeof createSpans>
  phasiness: Artefact
}> {
  const tracks = new Map<number, Point[]>()
  const phasy: { value: number; weight: number }[] = []
  const phasySpans = createSpans(comparison, SPAN_SECONDS)
  const detune: { cents: number; weight: number }[] = []
  const detuneSpans = createSpans(comparison, SPAN_SECONDS)

  return {
    add(step) {
      const { got, want, natural, tones, ratio, resultFrame, sourceFrame, binHz } = step
      if (tones.length === 0) return
      const quick = step.short()
      const top = got.power.length - 8
      tones.forEach((tone, i) => {
        const there = tone.bin * ratio
        if (there > top || there < 4) return
        const gap =
          Math.min(tone.bin - (tones[i - 1]?.bin ?? -99), (tones[i + 1]?.bin ?? 1e9) - tone.bin) * Math.min(1, ratio)
        if (gap < ALONE) return
        const own = lobe(want.below, tone.bin)
        if (own <= 0) return
        const weight = own ** LOUDNESS_POWER
        const short = gap >= ALONE_SHORT
        const wanted = short ? lobe(quick.want.below, tone.bin / 2) : own
        const found = short ? lobe(quick.got.below, there / 2) : lobe(got.below, there)
        const beside = Math.max(0, powerBetween(want.below, tone.bin - 4, tone.bin + 4) - own)
        // in noise that comes near it, a partial has no level of its own
        if (beside > DROWNS * own) return
        const point: Point = {
          resultFrame,
          sourceFrame,
          db: 10 * Math.log10(found + 1e-6 * wanted),
          explained: tone.restless + (75 * beside) / own,
          wantedDb: 10 * Math.log10(wanted),
          shoulder: short ? shoulderOf(got, there) - shoulderOf(want, tone.bin) : 0,
          weight,
        }
        const track = tracks.get(tone.track)
        if (track) track.push(point)
        else tracks.set(tone.track, [point])
        // as far as it may have gone without meeting its neighbour
        const reach = Math.min(0.45 * gap, Math.max(LEAST_REACH_BINS, MOST_OFF * there))
        const a = refineBin(got.power, there, reach)
        const b = refineBin(want.power, tone.bin, 1.2)
        if (a === undefined || b === undefined) return
        // a partial that has moved is still one: what is left of it, or spread, has no pitch
        const moved = lobe(got.below, a)
        if (moved < LEAST_LEFT * own || moved < CONCENTRATED * powerBetween(got.below, there - reach, there + reach))
          return
        const offFrom = (bin: number) => Math.abs(1200 * Math.log2(a / (bin * ratio)))
        // what bends while it rings may have bent as far as the map says, or as far as it does by itself
        const ringing = natural && natural !== 'silence' ? refineBin(natural.power, tone.bin, 2.5) : undefined
        const cents = Math.min(MOST_CENTS, offFrom(b), ringing === undefined ? MOST_CENTS : offFrom(ringing))
        detune.push({ cents, weight })
        detuneSpans.add(resultFrame, sourceFrame, cents, weight)
      })
      // where formants part from the pitch, other partials are loud: what lies between them says nothing
      if (Math.abs(comparison.formantRatioAt(asOutput(comparison.from + resultFrame)) / ratio - 1) > 0.01) return
      const between = diffuse(want, tones, 1, binHz)
      if (!between || between.tonal < between.rest) return
      const there = diffuse(got, tones, ratio, binHz)
      if (!there) return
      const ratioOf = ({ tonal, rest }: { tonal: number; rest: number }) =>
        rest / Math.max(1e-30, tonal) + BETWEEN_FLOOR
      const value = 10 * Math.log10(ratioOf(there) / ratioOf(between))
      const weight = between.tonal ** LOUDNESS_POWER
      phasy.push({ value, weight })
      phasySpans.add(resultFrame, sourceFrame, value, weight)
    },

    finish() {
      const shakes: { value: number; weight: number }[] = []
      const spans = createSpans(comparison, SPAN_SECONDS)
      let fast = 0
      let fastWeight = 0
      for (const points of tracks.values()) {
        for (let from = 0; from + LEAST_STEPS <= points.length; from += WINDOW_STEPS / 2) {
          const window = points.slice(from, from + WINDOW_STEPS)
          if (window.length < LEAST_STEPS) break
          const { slow, quick, weight } = shakeOf(window)
          const value = Math.sqrt(slow + quick)
          shakes.push({ value, weight: weight * window.length })
          fast += quick * weight
          fastWeight += weight
          for (const point of window) spans.add(point.resultFrame, point.sourceFrame, value * value, weight)
        }
      }
      const weights = (list: readonly { weight: number }[]) => list.map((item) => item.weight)
      const values = (list: readonly { value: number }[]) => list.map((item) => item.value)
      const phasiness = Math.max(0, weightedMean(values(phasy), weights(phasy)))
      return {
        flutter:
          shakes.length === 0
            ? unmeasured('flutter')
            : {
                id: 'flutter',
                measured: true,
                // what shakes most is heard first, however still the rest is: a mean of squares
                value: Math.sqrt(
                  weightedMean(
                    values(shakes).map((value) => value * value),
                    weights(shakes),
                  ),
                ),
                places: spans.places(Math.sqrt, TOLD_BY_TONES),
                parts: { fastDb: fastWeight > 0 ? Math.sqrt(fast / fastWeight) : 0, partialCount: tracks.size },
              },
        detune,
        detuneSpans,
        phasiness:
          phasy.length < 4
            ? unmeasured('phasiness')
            : {
                id: 'phasiness',
                measured: true,
                value: phasiness,
                places: phasySpans.places((mean) => Math.max(0, mean), TOLD_BY_TONES),
                parts: {},
              },
      }
    },
  }
}

/** How a partial's level moves in the result beyond what it does in the source, dB²: slow, and so quick that it shows as shoulders. */
function shakeOf(points: readonly Point[]) {
  const average = (of: (point: Point) => number) => points.reduce((sum, point) => sum + of(point), 0) / points.length
  const variance = varianceAroundLine(points.map((point) => point.db))
  const own = varianceAroundLine(points.map((point) => point.wantedDb))
  return {
    slow: Math.max(
      0,
      variance -
        Math.max(
          own,
          average((point) => point.explained),
        ),
    ),
    // amplitude modulation by m puts m²/2 into the shoulders and makes the level shake by 8.69 · m/√2 dB rms
    // noise beside it scatters both ways: only what is left of it counts
    quick: Math.max(0, 75.4 * average((point) => point.shoulder)),
    weight: average((point) => point.weight),
  }
}

/** Power from two to four and a half bins beside a partial, as a share of it: twice the weaker side, since modulation has two. */
function shoulderOf(spectrum: Spectrum, bin: number): number {
  const left = powerBetween(spectrum.below, bin - 4.6, bin - 2.1)
  const right = powerBetween(spectrum.below, bin + 2.1, bin + 4.6)
  return (2 * Math.min(left, right)) / (lobe(spectrum.below, bin) + 1e-30)
}

/** Power at the tones and between them; undefined where they leave no room between them. */
function diffuse(spectrum: Spectrum, tones: readonly { bin: number }[], ratio: number, binHz: number) {
  const first = tones[0]
  const last = tones.at(-1)
  if (!first || !last) return undefined
  const from = Math.max(BETWEEN_HZ[0] / binHz, 0.7 * first.bin) * ratio
  const to =
    Math.min(BETWEEN_HZ[1] / binHz, 1.2 * last.bin + 20, (spectrum.power.length - 2) / Math.max(1, ratio)) * ratio
  if (to <= from) return undefined
  let tonal = 0
  let covered = 0
  let reached = from
  for (const tone of tones) {
    const left = Math.max(reached, tone.bin * ratio - OWN_BINS)
    const right = Math.min(to, tone.bin * ratio + OWN_BINS)
    if (right <= left) continue
    tonal += powerBetween(spectrum.below, left, right)
    covered += right - left
    reached = right
  }
  if (covered > 0.8 * (to - from)) return undefined
  return { tonal, rest: Math.max(0, powerBetween(spectrum.below, from, to) - tonal) }
}
