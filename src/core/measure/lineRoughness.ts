import { mixOf } from '../analysis/mix'
import type { PitchTrack } from '../analysis/pitchTrack'
import { type AudioBlock, frameCount } from '../audio/block'
import { nearestPowerOfTwo } from '../dsp/units'
import { asOutput } from '../timeline/axes'
import { type AttackPairs, distanceTo, ringing } from './attackPairs'
import { type Comparison, originOf } from './comparison'
import { createSpectra, powerBetween } from './spectra'
import { median } from './statistics'
import { createSpans } from './step'

/** columns on either side over which the source has to be one clear tone */
const STEADY = 5
const SURE = 0.85
/** and may fall or rise by this much over them, power */
const MOST_FALL = 5
/** what is this periodic is as clear as can be told */
const CLEAREST = 1e-4
/** a result this far under its source has died away by itself, power */
const GONE = 0.06
const LEAST_COLUMNS = 20
/** half the window of the pitch track, and a little */
const APART_SECONDS = 0.06
/** what is 23 dB under the loudest moment is not the line, but something beside it, power */
const QUIET = 5e-3
/** what is clearer than its source by more than this counts as so much: one place must not speak for all */
const MOST_LESS_DB = 6
/** what a pitch track can follow, Hz */
const LOWEST_HZ = 48
const HIGHEST_HZ = 1900
/** share of the sound's clear columns, of those in which anything sounds, from which on it is a line */
const LINE_SHARE = 0.4

/** a window of the straightened line, and the lowest pitch whose harmonics it tells apart */
const WINDOW_SECONDS = 0.0853
const LEAST_SPACING_BINS = 8
/** harmonics that are looked at, and half the width of their lobes, bins */
const HARMONICS = 10
const LOBE_BINS = 2.5
/** what is 35 dB under the harmonics, and so near them, is masked by them */
const MASKED = 3e-4
/** a pitch track smooths what bends fast: what is bent `speed` times as fast may leave this power of it as much more beside */
const BENT = 4
/** and so what has a longer period */
const LOWER = 1.5

/**
 * How much more lies between the harmonics of a line than in its source, dB, once both are played at one pitch: what bends is
 * straightened by its own pitch track, so that only what shakes or tears beside it is left.
 */
function createBeside(audio: AudioBlock, track: PitchTrack): (frame: number) => number | undefined {
  const { sampleRate } = audio
  const size = nearestPowerOfTwo(WINDOW_SECONDS * sampleRate, 256)
  const straight = straightened(audio, track)
  if (!straight) return () => undefined
  const spacing = (straight.hz * size) / sampleRate
  if (spacing < LEAST_SPACING_BINS) return () => undefined
  const read = createSpectra({ sampleRate, channels: [straight.samples] }, size)
  return (frame) => {
    const { below } = read(straight.placeOf(frame))
    let tonal = 0
    let beside = 0
    for (let k = 1; k <= HARMONICS && (k + 0.5) * spacing < size / 2; k++) {
      const own = powerBetween(below, k * spacing - LOBE_BINS, k * spacing + LOBE_BINS)
      tonal += own
      beside += powerBetween(below, (k - 0.5) * spacing, (k + 0.5) * spacing) - own
    }
    return tonal > 0 ? Math.max(0, beside) / tonal + MASKED : undefined
  }
}

/** A line played at the one pitch that it has in the middle; undefined where it has none. */
function straightened(audio: AudioBlock, track: PitchTrack) {
  const mix = mixOf(audio)
  const pitched = Array.from(track.hz).filter((hz) => hz > 0)
  if (pitched.length === 0) return undefined
  const hz = median(pitched)
  // where each column comes to lie: as many frames on as its pitch is higher
  const places = new Float64Array(track.hz.length)
  let held = track.hz.find((value) => value > 0) ?? hz
  for (let n = 1; n < places.length; n++) {
    const before = held
    if ((track.hz[n] as number) > 0) held = track.hz[n] as number
    places[n] = (places[n - 1] as number) + (track.hopFrames * (before + held)) / 2 / hz
  }
  const samples = new Float32Array(Math.ceil(places.at(-1) ?? 0) + 1)
  for (let n = 0; n + 1 < places.length; n++) {
    const from = places[n] as number
    const to = places[n + 1] as number
    // the pitch goes evenly from one column to the next, so the place goes by its square
    const first = track.hz[n] || hz
    const last = track.hz[n + 1] || first
    for (let i = Math.ceil(from); i < to; i++) {
      const share = (i - from) / (to - from)
      const bend = (last - first) / (first + last)
      // of u = s + bend · (s² − s): s from u
      const part =
        Math.abs(bend) < 1e-6 ? share : (bend - 1 + Math.sqrt((1 - bend) ** 2 + 4 * bend * share)) / (2 * bend)
      samples[i] = cubicAt(mix, (n + part) * track.hopFrames)
    }
  }
  const placeOf = (frame: number) => {
    const at = Math.max(0, Math.min(places.length - 2, frame / track.hopFrames))
    const n = Math.floor(at)
    return (places[n] as number) + (at - n) * ((places[n + 1] as number) - (places[n] as number))
  }
  return { samples, hz, placeOf }
}

/** A value between samples by a cubic through four of them (Hermite). */
function cubicAt(samples: Float32Array, at: number): number {
  const k = Math.floor(at)
  const t = at - k
  const a = samples[k - 1] ?? 0
  const b = samples[k] ?? 0
  const c = samples[k + 1] ?? 0
  const d = samples[k + 2] ?? 0
  const c1 = (c - a) / 2
  const c2 = a - 2.5 * b + 2 * c - 0.5 * d
  const c3 = (d - a) / 2 + 1.5 * (b - c)
  return ((c3 * t + c2) * t + c1) * t + b
}

/**
 * How much less like one clear tone a single line has become, dB: what of it does not come again one period later, against the same
 * in the source. A glide that is drawn out bends less within a period, and one that is pressed together bends more: neither counts.
 * @param pairs  what begins, and may ring on by itself.
 * @returns undefined where the source is no line.
 */
export function lineRoughnessOf(
  comparison: Comparison,
  { pairs }: Pick<AttackPairs, 'pairs'>,
  source: PitchTrack,
  result: PitchTrack,
) {
  const spans = createSpans(comparison, 0.2)
  const inSource = levelReader(comparison.source)
  const inResult = levelReader(comparison.result)
  const { share, least } = shareClear(source, inSource)
  if (share < LINE_SHARE) return undefined
  const besideSource = createBeside(comparison.source, source)
  const besideResult = createBeside(comparison.result, result)
  const apart = APART_SECONDS * comparison.source.sampleRate
  const sourceAttacks = Float64Array.from(pairs, ({ sourceFrame }) => sourceFrame)
  const resultAttacks = Float64Array.from(pairs.flatMap((pair) => [pair.expected, pair.found ?? pair.expected])).sort()
  const beside = { sum: 0, count: 0 }
  let got = 0
  let want = 0
  let columns = 0
  for (let n = 0; n < result.hz.length; n++) {
    const at = n * result.hopFrames
    if (at >= frameCount(comparison.result)) break
    const origin = originOf(comparison, at)
    const own = Math.round(origin / source.hopFrames)
    if (!isClear(source, own) || !holds(inSource, origin, source.hopFrames)) continue
    const meantHz = (source.hz[own] as number) * comparison.pitchRatioAt(asOutput(comparison.from + at))
    if (meantHz < LOWEST_HZ || meantHz > HIGHEST_HZ) continue
    if (inSource(origin) < least || inResult(at) < GONE * inSource(origin)) continue
    const speed = Math.max(1, comparison.map.speedAt(asOutput(comparison.from + at)))
    // where the map has it, or behind its attack as it rings by itself: as rough as either
    // an attack in the window of either is no line
    if (distanceTo(sourceAttacks, origin) < apart || distanceTo(resultAttacks, at) < apart) continue
    const natural = ringing(pairs, at, comparison.source.sampleRate)[0] ?? origin
    // what has rung out by itself, and what comes after it in the source, say nothing of a line
    if (!isClear(source, Math.round(natural / source.hopFrames))) continue
    const ringingOn = source.clarity[Math.round(natural / source.hopFrames)] ?? 0
    // what bends `speed` times as fast is `speed`² times as unlike itself
    const before = Math.max((1 - (source.clarity[own] as number)) * speed ** 2, 1 - ringingOn) + CLEAREST
    const now = 1 - ((result.hz[n] as number) > 0 ? (result.clarity[n] as number) : 0) + CLEAREST
    got += now
    want += before
    columns++
    const lower = Math.max(1, 1 / comparison.pitchRatioAt(asOutput(comparison.from + at)))
    const ownBeside = besideSource(origin)
    const ringingBeside = besideSource(natural) ?? 0
    const wantBeside =
      ownBeside === undefined ? undefined : Math.max(ownBeside * speed ** BENT * lower ** LOWER, ringingBeside)
    const gotBeside = wantBeside === undefined ? undefined : besideResult(at)
    let here = 10 * Math.log10(now / before)
    if (wantBeside !== undefined && gotBeside !== undefined) {
      const more = 10 * Math.log10(gotBeside / wantBeside)
      beside.sum += Math.max(-MOST_LESS_DB, more)
      beside.count++
      here = Math.max(here, more)
    }
    spans.add(at, origin, Math.max(0, here))
  }
  if (columns < LEAST_COLUMNS) return undefined
  const besideDb = beside.count > 0 ? beside.sum / beside.count : 0
  return {
    db: Math.max(0, besideDb, 10 * Math.log10(got / want)),
    besideDb,
    places: spans.places(undefined, { count: 5 }),
  }
}

/** How loud a column has to be to be heard beside the rest; and share of the columns in which a sound is one clear tone, of those that are not silent beside the rest. */
function shareClear(track: PitchTrack, levelAt: (frame: number) => number): { share: number; least: number } {
  const levels = Array.from(track.hz, (_, n) => levelAt(n * track.hopFrames))
  const least = QUIET * levels.reduce((most, level) => Math.max(most, level), 0)
  let heard = 0
  let clear = 0
  levels.forEach((level, n) => {
    if (level <= least) return
    heard++
    const frame = n * track.hopFrames
    if ((track.hz[n] as number) > 0 && (track.clarity[n] as number) >= SURE && holds(levelAt, frame, track.hopFrames))
      clear++
  })
  return { share: clear / Math.max(1, heard), least }
}

/** Whether a sound holds its level there: what was struck and dies away is no line, however clear its pitch. */
function holds(levelAt: (frame: number) => number, frame: number, hopFrames: number): boolean {
  const before = levelAt(frame - STEADY * hopFrames)
  const after = levelAt(frame + STEADY * hopFrames)
  return Math.max(before, after) < MOST_FALL * Math.min(before, after)
}

function isClear(track: PitchTrack, column: number): boolean {
  for (let d = -STEADY; d <= STEADY; d++) {
    if ((track.hz[column + d] ?? 0) === 0 || (track.clarity[column + d] as number) < SURE) return false
  }
  return true
}

/** Power around a frame, over 40 ms of all channels. */
function levelReader({ channels, sampleRate }: AudioBlock): (frame: number) => number {
  const half = Math.round(0.02 * sampleRate)
  return (frame) => {
    let sum = 0
    for (const channel of channels)
      for (let i = Math.round(frame) - half; i < frame + half; i += 4) sum += (channel[i] ?? 0) ** 2
    return sum
  }
}
