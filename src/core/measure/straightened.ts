import { mixOf } from '../analysis/mix'
import { type PitchTrack, trackPitch } from '../analysis/pitchTrack'
import type { AudioBlock } from '../audio/block'
import { nearestPowerOfTwo } from '../dsp/units'
import type { Task } from '../task'
import { createSpectra, powerBetween } from './spectra'
import { median } from './statistics'

/** a window of the straightened line, and the lowest pitch whose harmonics it tells apart */
const WINDOW_SECONDS = 0.0853
const LEAST_SPACING_BINS = 8
/** harmonics that are looked at, and half the width of their lobes, bins */
const HARMONICS = 10
const LOBE_BINS = 2.5
/** what is 35 dB under the harmonics, and so near them, is masked by them */
const MASKED = 3e-4
const windowOf = (sampleRate: number) => nearestPowerOfTwo(WINDOW_SECONDS * sampleRate, 256)

const middleOf = ({ hz }: PitchTrack) => median(Array.from(hz).filter((value) => value > 0))

/** Whether the harmonics of a line are far enough from one another to be told apart; false where there is no pitch. */
export const areApart = (track: PitchTrack, sampleRate: number) =>
  (middleOf(track) * windowOf(sampleRate)) / sampleRate >= LEAST_SPACING_BINS

/** Reads how much lies between the harmonics of a line around a frame; undefined in silence. */
export type Beside = (frame: number) => number | undefined

/**
 * How much lies between the harmonics of a line against what lies at them, around a frame, as a power ratio.
 * The line is played at one pitch before. That takes its bends out, and leaves what shakes or tears beside it.
 * @returns undefined where there is no pitch, or one too low for its harmonics to be told apart.
 */
export function createBeside(audio: AudioBlock, track: PitchTrack): Beside | undefined {
  const { sampleRate } = audio
  const straight = areApart(track, sampleRate) ? straightened(audio, track) : undefined
  if (!straight) return undefined
  const size = windowOf(sampleRate)
  const spacing = (straight.hz * size) / sampleRate
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

/**
 * The pitch of a line that bends, followed once more after it was straightened: what bends within a window is no clear
 * pitch, however clear it sounds.
 */
export function* straightTrack(audio: AudioBlock, track: PitchTrack): Task<PitchTrack> {
  const bridged = { ...track, hz: bridgedOver(track.hz) }
  const straight = straightened(audio, bridged)
  if (!straight) return track
  yield { doneFrames: 0, totalFrames: straight.samples.length }
  const again = yield* trackPitch({ sampleRate: audio.sampleRate, channels: [straight.samples] })
  const hz = new Float32Array(track.hz.length)
  const clarity = new Float32Array(hz.length)
  for (let n = 0; n < hz.length; n++) {
    const place = Math.round(straight.placeOf(n * track.hopFrames) / again.hopFrames)
    const found = again.hz[place] ?? 0
    if (found > 0) hz[n] = ((bridged.hz[n] as number) * found) / straight.hz
    clarity[n] = again.clarity[place] ?? 0
  }
  return { hopFrames: track.hopFrames, hz, clarity }
}

/** Pitches with gaps bridged by a straight line on the scale of notes; at the ends the nearest is held. */
function bridgedOver(hz: Float32Array): Float32Array {
  const out = hz.slice()
  let last = -1
  for (let n = 0; n < out.length; n++) {
    if (out[n] === 0) continue
    const from = (last < 0 ? out[n] : out[last]) as number
    for (let i = last + 1; i < n; i++)
      out[i] = last < 0 ? from : from * ((out[n] as number) / from) ** ((i - last) / (n - last))
    last = n
  }
  if (last >= 0) out.fill(out[last] as number, last + 1)
  return out
}

/**
 * A line played at one pitch, the median of its own.
 * @returns `samples`, that pitch in Hz, and where a frame of the sound comes to lie; undefined where there is no pitch.
 */
export function straightened(audio: AudioBlock, track: PitchTrack) {
  const mix = mixOf(audio)
  const hz = middleOf(track)
  if (!(hz > 0)) return undefined
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
