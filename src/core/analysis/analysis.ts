import type { AudioBlock } from '../audio/block'
import { type SoundSource, soundSource } from '../audio/soundSource'
import { finish, type Task } from '../task'
import { type Attack, detectAttacks } from './attacks'
import { type Focus, focusOf } from './focus'
import { type PitchTrack, trackPitch } from './pitchTrack'

export type { Attack } from './attacks'
export type { Focus } from './focus'
export type { PitchTrack } from './pitchTrack'

export const ALL_NEEDS = ['attacks', 'pitch', 'focus'] as const
export type AnalysisNeed = (typeof ALL_NEEDS)[number]

/** What is known of a source; a part that nobody asked for may be missing. Plain data. */
export interface Analysis {
  readonly attacks?: readonly Attack[]
  readonly pitch?: PitchTrack
  readonly focus?: Focus
}

/** Find out what `known` lacks of `needs`. */
export function* analyseTask(
  source: AudioBlock | SoundSource,
  needs: readonly AnalysisNeed[],
  known: Analysis = {},
): Task<Analysis> {
  let analysis = known
  if (needs.includes('attacks') && !analysis.attacks) {
    analysis = { ...analysis, attacks: yield* detectAttacks(source) }
  }
  if (needs.includes('focus') && !analysis.focus) analysis = { ...analysis, focus: yield* focusOf(soundSource(source)) }
  if (needs.includes('pitch') && !analysis.pitch) analysis = { ...analysis, pitch: yield* trackPitch(source) }
  return analysis
}

const remembered = new WeakMap<AudioBlock | SoundSource, Analysis>()

/** The same at once; what was found out about this very block before is not found out again. */
export function analyse(source: AudioBlock | SoundSource, needs: readonly AnalysisNeed[], known?: Analysis): Analysis {
  const start = known ?? remembered.get(source) ?? {}
  const analysis = finish(analyseTask(source, needs, start))
  if (!known) remembered.set(source, analysis)
  return analysis
}
