import type { Attack } from '../analysis/attacks'
import { quietestPlace, silentPlaces, stepsWithin } from '../audio/levels'
import type { SoundSource } from '../audio/soundSource'
import { BEFORE_ATTACK_SECONDS, SEAM_FADE_SECONDS } from '../render/seams'

/** A moment of a source at which one lane may give way to another. */
export interface Handover {
  /** source frame at which it is done */
  readonly frame: number
  /** seconds that it takes */
  readonly fade: number
  /** how sure it is that nobody hears it: before an attack, in silence, or where it is quiet */
  readonly hides: 'attack' | 'silence' | 'quiet'
}

const FADES = { attack: SEAM_FADE_SECONDS, silence: 0.02, quiet: 0.06 } as const
/** an attack hides a handover from this strength on */
const HIDING_STRENGTH = 0.12
/** what stays below this for so many steps counts as silence; and as one quiet place */
const SILENT = { level: 1e-3, steps: 3 } as const
const QUIET_STEPS = 3

/**
 * Where between two frames of a source a handover is heard least: before its strongest attack, else in silence, else
 * where it is quietest.
 * @param attacks  of the source, rising.
 */
export function handoverBetween(source: SoundSource, attacks: readonly Attack[], from: number, to: number): Handover {
  const at = (frame: number, hides: Handover['hides']): Handover => ({ frame, fade: FADES[hides], hides })
  const hiding = attacks
    .map(({ frame, strength }) => ({ frame: frame - BEFORE_ATTACK_SECONDS * source.sampleRate, strength }))
    .filter(({ frame, strength }) => frame >= from && frame < to && strength >= HIDING_STRENGTH)
  if (hiding.length > 0) return at(hiding.reduce((a, b) => (b.strength > a.strength ? b : a)).frame, 'attack')
  const steps = stepsWithin(source, from, to)
  const [silent] = silentPlaces(source, steps, SILENT)
  return silent === undefined ? at(quietestPlace(source, steps, QUIET_STEPS), 'quiet') : at(silent, 'silence')
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
