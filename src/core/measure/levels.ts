import { asOutput } from '../timeline/axes'
import type { Artefact } from './artefacts'
import { unmeasured } from './artefacts'
import type { Comparison } from './comparison'
import { BAND_COUNT, BAND_EDGES, firstStrong, powerBetween, type Spectrum } from './spectra'
import { createSpans, SPAN_SECONDS } from './step'

/** bands this far under the strongest one of the whole sound do not count for the balance */
const BAND_DEPTH = 10 ** -3.5

/** ringing on and being drawn out are this far apart: then anything between is right, and a little outside as well; power */
const WIDE = 1.4
const FAR = 4

/** a place this far under the loudest moment counts as no quieter, power */
const QUIET = 10 ** -2.5

/** How sensitive the ear is at a frequency, as a power factor: the K weighting of ITU-R BS.1770-4, roughly. */
function earAt(hz: number): number {
  const low = 1 / (1 + (45 / hz) ** 4)
  const high = 1 + 1.51 * (1 / (1 + (1500 / hz) ** 3))
  return low * high
}

/**
 * Level and spectral balance of the result against what the source has at the same moments. Where a sound may either ring on
 * by itself or be drawn out with the time map, anything between the two is right.
 * @param loudest  power of the loudest column of the source: what lies far under it is not heard to be off.
 */
export function createLevels(comparison: Comparison, loudest = 0) {
  const floor = QUIET * loudest
  const wanted = new Float64Array(BAND_COUNT)
  const found = new Float64Array(BAND_COUNT)
  const levelSpans = createSpans(comparison, SPAN_SECONDS)
  const wantedSpans = createSpans(comparison, SPAN_SECONDS)
  const balanceSpans = createSpans(comparison, 2 * SPAN_SECONDS)
  let count = 0
  /** whether formants part from the pitch anywhere */
  let wide = false

  const nyquist = comparison.source.sampleRate / 2
  return {
    add(
      resultFrame: number,
      sourceFrame: number,
      ratio: number,
      got: Spectrum,
      want: Spectrum,
      natural: Spectrum | 'silence' | undefined,
      binHz: number,
    ) {
      // partials further apart than they were, under formants that stayed: there are as many fewer in each band
      const share = ratio / comparison.pitchRatioAt(asOutput(comparison.from + resultFrame))
      let here = 0
      let there = 0
      const bands: { wanted: number; found: number }[] = []
      for (let b = 0; b < BAND_COUNT; b++) {
        const low = BAND_EDGES[b] as number
        const high = BAND_EDGES[b + 1] as number
        if (high > 0.92 * nyquist || high * ratio > 0.92 * nyquist) break
        const ear = earAt(Math.sqrt(low * high) * ratio)
        const a = ear * share * powerBetween(want.below, low / binHz, high / binHz)
        const c =
          natural === undefined
            ? a
            : natural === 'silence'
              ? 0
              : ear * share * powerBetween(natural.below, low / binHz, high / binHz)
        const g = ear * powerBetween(got.below, (low * ratio) / binHz, (high * ratio) / binHz)
        const least = Math.min(a, c)
        const most = Math.max(a, c)
        let w = a
        if (most > WIDE * least) {
          // only what is far outside says anything
          if (g >= least / FAR && g <= most * FAR) continue
          w = g < least ? least : most
        }
        bands.push({ wanted: w, found: g })
        wanted[b] = (wanted[b] as number) + w
        found[b] = (found[b] as number) + g
        here += w
        there += g
      }
      if (here + there <= 0) return
      count++
      levelSpans.add(resultFrame, sourceFrame, there + floor)
      wantedSpans.add(resultFrame, sourceFrame, here + floor)
      const each = floor / Math.max(1, bands.length)
      const apart = Math.abs(share - 1) > 0.01
      wide ||= apart
      const off = unbalance(
        bands.map((band) => band.wanted + each),
        bands.map((band) => band.found + each),
        apart,
      )
      balanceSpans.add(resultFrame, sourceFrame, off, here + floor)
    },

    finish(loudnessLu: number, truePeakDb: number): { level: Artefact; balance: Artefact } {
      if (count < 1) return { level: unmeasured('level'), balance: unmeasured('balance') }
      const sum = (values: Float64Array) => values.reduce((total, value) => total + value, 0)
      const change = dbOf(sum(found), sum(wanted))
      const wants = wantedSpans.places()
      return {
        level: {
          id: 'level',
          measured: true,
          value: Math.abs(change),
          places: levelSpans
            .places()
            .map((place, i) => ({ ...place, value: Math.abs(dbOf(place.value, wants[i]?.value ?? place.value)) })),
          parts: { changeLu: change, loudnessLu, truePeakDb },
        },
        balance: {
          id: 'balance',
          measured: true,
          value: unbalance([...wanted], [...found], wide),
          places: balanceSpans.places(),
          parts: {
            lowDb: tilt(wanted, found, 0, 5),
            midDb: tilt(wanted, found, 5, 15),
            highDb: tilt(wanted, found, 15, BAND_COUNT),
          },
        },
      }
    },
  }
}

const dbOf = (a: number, b: number) => 10 * Math.log10((a + 1e-12) / (b + 1e-12))

/** Change of some bands against the change of all, dB. */
function tilt(wanted: Float64Array, found: Float64Array, from: number, to: number): number {
  const sum = (values: Float64Array, a = 0, b = values.length) => values.slice(a, b).reduce((s, v) => s + v, 0)
  const most = sum(wanted)
  if (sum(wanted, from, to) < BAND_DEPTH * most) return 0
  return dbOf(sum(found, from, to), sum(wanted, from, to)) - dbOf(sum(found), most)
}

/** so many bands are told as one where formants stay: one alone has a partial more or less by chance */
const WIDE_BANDS = 3

/**
 * Mean change of the bands, dB, once the change of the whole is taken out. Neighbours are blurred: tones lie on edges.
 * @param wide  formants part from the pitch.
 */
function unbalance(wanted: readonly number[], found: readonly number[], wide: boolean): number {
  const blur = (values: readonly number[]) =>
    values.map((value, b) => 0.5 * value + 0.25 * (values[b - 1] ?? value) + 0.25 * (values[b + 1] ?? value))
  const joined = (values: readonly number[]) =>
    Array.from({ length: Math.ceil(values.length / WIDE_BANDS) }, (_, n) =>
      values.slice(n * WIDE_BANDS, (n + 1) * WIDE_BANDS).reduce((sum, value) => sum + value, 0),
    )
  const a = wide ? joined(blur(wanted)) : blur(wanted)
  const b = wide ? joined(blur(found)) : blur(found)
  // where formants stay, nothing is left below the lowest partial when that moves up
  const first = wide ? Math.max(firstStrong(a), firstStrong(b)) : 0
  const top = Math.max(...a, 0)
  const all = dbOf(
    b.reduce((s, v) => s + v, 0),
    a.reduce((s, v) => s + v, 0),
  )
  let sum = 0
  let weight = 0
  a.forEach((value, n) => {
    if (n < first || value < BAND_DEPTH * top) return
    const w = value ** 0.3
    sum += w * Math.abs(Math.max(-30, Math.min(30, dbOf(b[n] as number, value) - all)))
    weight += w
  })
  return weight > 0 ? sum / weight : 0
}
