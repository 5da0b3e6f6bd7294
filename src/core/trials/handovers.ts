import type { Attack } from '../analysis/attacks'
import { levelsBetween } from '../audio/levels'
import type { SoundSource } from '../audio/soundSource'

/** A moment of a source at which one lane may give way to another. */
export interface Handover {
  /** source frame at which it is done */
  readonly frame: number
  /** seconds that it takes */
  readonly fade: number
  /** how sure it is that nobody hears it: before an attack, in silence, or where it is quiet */
  readonly hides: 'attack' | 'silence' | 'quiet'
}

/** so long before an attack the next lane has taken over, and within what time */
const BEFORE_ATTACK_SECONDS = 0.002
const ATTACK_FADE = 0.005
const SILENCE_FADE = 0.02
const QUIET_FADE = 0.06
/** an attack hides a handover from this strength on */
const HIDING_STRENGTH = 0.12
/** what stays below this for so many steps counts as silence; and as one quiet place */
const SILENT_LEVEL = 1e-3
const SILENT_STEPS = 3
const QUIET_STEPS = 3

/**
 * Where between two frames of a source a handover is heard least: before its strongest attack, else in silence, else
 * where it is quietest.
 * @param attacks  of the source, rising.
 */
export function handoverBetween(source: SoundSource, attacks: readonly Attack[], from: number, to: number): Handover {
  const before = BEFORE_ATTACK_SECONDS * source.sampleRate
  const hiding = attacks.filter(
    ({ frame, strength }) => frame - before >= from && frame - before < to && strength >= HIDING_STRENGTH,
  )
  if (hiding.length > 0) {
    const { frame } = hiding.reduce((a, b) => (b.strength > a.strength ? b : a))
    return { frame: frame - before, fade: ATTACK_FADE, hides: 'attack' }
  }
  const { stepFrames, peaks, energies } = levelsBetween(
    source,
    Math.floor(from / source.sampleRate / 0.025),
    Math.ceil(to / source.sampleRate / 0.025) + QUIET_STEPS,
  )
  const first = Math.ceil(from / stepFrames)
  const end = Math.min(peaks.length, Math.floor(to / stepFrames))
  let best = (first + end) / 2
  let least = Number.POSITIVE_INFINITY
  for (let n = first; n + QUIET_STEPS <= end; n++) {
    const silent = peaks.subarray(n, n + SILENT_STEPS).every((peak) => peak <= SILENT_LEVEL)
    if (silent) return { frame: (n + SILENT_STEPS / 2) * stepFrames, fade: SILENCE_FADE, hides: 'silence' }
    const energy = energies.subarray(n, n + QUIET_STEPS).reduce((sum, value) => sum + value, 0)
    if (energy < least) {
      least = energy
      best = n + QUIET_STEPS / 2
    }
  }
  return { frame: best * stepFrames, fade: QUIET_FADE, hides: 'quiet' }
}

/**
 * Moments of a source between which lanes are held against each other: rising, at least `leastFrames` apart and from
 * both ends, no more than two and a half times that.
 */
export function handoversOf(source: SoundSource, attacks: readonly Attack[], leastFrames: number): Handover[] {
  const handovers: Handover[] = []
  for (let last = 0; source.frames - last > 2 * leastFrames; ) {
    const to = Math.min(last + MOST_LEAST * leastFrames, source.frames - leastFrames)
    const next = handoverBetween(source, attacks, last + leastFrames, Math.max(to, last + leastFrames + 1))
    handovers.push(next)
    last = next.frame
  }
  return handovers
}

const MOST_LEAST = 2.5
