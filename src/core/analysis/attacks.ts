import type { AudioBlock } from '../audio/block'
import { type SoundSource, soundSource } from '../audio/soundSource'
import { exp, square } from '../dsp/portable'
import type { Task } from '../task'
import { type Novelty, noveltyOf, STEPS_PER_SECOND } from './novelty'
import { refineAttack } from './refineAttack'

/** The sudden start of a hit, pluck or consonant. */
export interface Attack {
  /** source frame at which it starts */
  readonly frame: number
  /** how far it stands out, 0–1 */
  readonly strength: number
}

export interface AttackOptions {
  /** 0–1; more finds fainter attacks, and sooner takes for one what is none */
  readonly sensitivity?: number
  /** whether whatever is there from the very first frame counts, be it the edge of a cut */
  readonly withCutStart?: boolean
  /** where it is known already */
  readonly novelty?: Novelty
  /** as `createRefiner` makes it for this source: shared by those who look at it more than once */
  readonly refine?: Refiner
}

type Refiner = (frame: number) => ReturnType<typeof refineAttack>

/** Refines attacks of a source, each once. */
export function createRefiner(source: AudioBlock | SoundSource): Refiner {
  const known = new Map<number, ReturnType<typeof refineAttack>>()
  return (frame) => {
    if (!known.has(frame)) known.set(frame, refineAttack(source, frame))
    return known.get(frame)
  }
}

const NEIGHBOURHOOD_SECONDS = 0.03
const MEAN_BEFORE_SECONDS = 0.12
const MEAN_BEHIND_SECONDS = 0.08
const SAME_ATTACK_SECONDS = 0.025
/** so close to the first frame an attack may be the edge of a cut; a stroke's first 30 ms have this much more power than what follows */
const EDGE_SECONDS = 0.005
const DIES_AWAY = 1.5
/** a struck sound that rings falls for so many seconds, from quarter to quarter to this share of its power at most */
const RINGS_SECONDS = 2
const RINGS_ON = 0.85
/** what the predictor's error has to rise by at an attack, in power */
const LEAST_ERROR_RISE = 1.3

/**
 * Where attacks are: the rise of the log spectrum in narrow bands, against the loudest of three neighbouring bands a little
 * before, so that vibrato and glides do not count as rises; peaks over an adaptive threshold; then each refined to the frame.
 *
 * Frames rise, none twice. Works channel by channel in power, so nothing cancels.
 * Source  Böck & Widmer 2013, "Maximum filter vibrato suppression for onset detection".
 */
export function* detectAttacks(sound: AudioBlock | SoundSource, options: AttackOptions = {}): Task<readonly Attack[]> {
  const source = soundSource(sound)
  const { sampleRate, frames } = source
  const { hop, all } = options.novelty ?? (yield* noveltyOf(source))
  const sensitivity = options.sensitivity ?? 0.5
  const refine = options.refine ?? createRefiner(source)
  const attacks: Attack[] = []
  for (const peak of pickPeaks(all, sensitivity)) {
    const refined = refine(peak.column * hop)
    if (!refined || refined.frame >= frames) continue
    const { frame, rise } = refined
    if (rise < LEAST_ERROR_RISE) continue
    if (frame < EDGE_SECONDS * sampleRate && !options.withCutStart && !startsWithHit(source)) continue
    const last = attacks.at(-1)
    if (last && frame - last.frame < SAME_ATTACK_SECONDS * sampleRate) {
      // two readings of one attack: the stronger one stays
      if (peak.height > last.strength) attacks[attacks.length - 1] = { frame: last.frame, strength: peak.height }
      continue
    }
    attacks.push({ frame, strength: peak.height })
  }
  const most = attacks.reduce((m, a) => Math.max(m, a.strength), 0)
  return attacks.map(({ frame, strength }) => ({ frame, strength: strength / most }))
}

/**
 * Whether a sound begins with a stroke that dies or rings away, and was not just cut out of something that went on.
 * A bed that is there from its first frame has no attack there.
 */
function startsWithHit(source: SoundSource): boolean {
  // of a sound shorter than that, the same shares
  const own = source.frames / source.sampleRate
  const seconds = Math.min(0.25, own)
  const ringing = Math.min(RINGS_SECONDS, own)
  const { channels } = source.part(0, Math.min(source.frames, Math.ceil(ringing * source.sampleRate)))
  const power = (fromSeconds: number, toSeconds: number) => {
    let sum = 0
    const from = Math.round(fromSeconds * source.sampleRate)
    const to = Math.min(source.frames, Math.round(toSeconds * source.sampleRate))
    for (const channel of channels) for (let i = from; i < to; i++) sum += square(channel[i] as number)
    return to > from ? sum / (to - from) : 0
  }
  if (power(0, 0.12 * seconds) > DIES_AWAY * power(0.4 * seconds, seconds)) return true
  // what rings for long falls slowly, but it only ever falls
  const parts = [0, 1, 2, 3].map((n) => power((n * ringing) / 4, ((n + 1) * ringing) / 4))
  return parts.every((value, n) => n === 0 || value < RINGS_ON * (parts[n - 1] as number))
}

/** Peaks over the local mean by a margin that follows how restless the curve is around them. */
function pickPeaks(novelty: Float64Array, sensitivity: number): { column: number; height: number }[] {
  const near = Math.round(NEIGHBOURHOOD_SECONDS * STEPS_PER_SECOND)
  const behind = Math.round(MEAN_BEHIND_SECONDS * STEPS_PER_SECOND)
  const before = Math.round(MEAN_BEFORE_SECONDS * STEPS_PER_SECOND)
  const wide = Math.round(0.75 * STEPS_PER_SECOND)
  // from 0 to 1 the margin falls from four times to a quarter of its middle
  const scale = exp((0.5 - sensitivity) * 4 * Math.LN2)
  const peaks: { column: number; height: number }[] = []
  const scratch = new Float64Array(2 * wide + 1)
  for (let n = 0; n < novelty.length; n++) {
    const value = novelty[n] as number
    if (value < LEAST_RISE * scale) continue
    let isPeak = true
    for (let i = Math.max(0, n - near); i <= Math.min(novelty.length - 1, n + near) && isPeak; i++) {
      if ((novelty[i] as number) > value || ((novelty[i] as number) === value && i < n)) isPeak = false
    }
    if (!isPeak) continue
    let sum = 0
    let count = 0
    for (let i = Math.max(0, n - before); i <= Math.min(novelty.length - 1, n + behind); i++) {
      sum += novelty[i] as number
      count++
    }
    const mean = sum / count
    const from = Math.max(0, n - wide)
    const to = Math.min(novelty.length, n + wide + 1)
    const around = scratch.subarray(0, to - from)
    around.set(novelty.subarray(from, to))
    around.sort()
    const median = around[around.length >> 1] as number
    const upper = around[Math.floor(0.75 * around.length)] as number
    const margin = scale * Math.max(LEAST_RISE, RESTLESSNESS * (upper - median), 0.8 * median)
    const height = value - mean
    if (height > margin) peaks.push({ column: n, height })
  }
  return peaks
}

/** mean rise over all bands that counts as one at all, natural log units */
const LEAST_RISE = 0.045
/** how many times the spread of the curve around a peak it has to stand out */
const RESTLESSNESS = 2.5
