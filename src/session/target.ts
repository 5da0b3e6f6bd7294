import { PITCH_RANGE, STRETCH_RANGE, stretchForFrames } from '../core'
import type { Key, SourceFacts, Target } from './schema'

/** The target in all the ways people say it, and back. One truth: stretch and semitones. */

export const clampStretch = (stretch: number) => Math.min(STRETCH_RANGE.max, Math.max(STRETCH_RANGE.min, stretch))
export const clampPitch = (semitones: number) => Math.min(PITCH_RANGE.max, Math.max(PITCH_RANGE.min, semitones))

export const percentOf = (target: Target) => target.stretch * 100
export const stretchFromPercent = (percent: number) => clampStretch(percent / 100)

export function secondsOf(target: Target, facts: SourceFacts): number {
  return Math.round(facts.frames * target.stretch) / facts.sampleRate
}

/** The stretch whose result has exactly the frames nearest to `seconds`. */
export function stretchFromSeconds(seconds: number, facts: SourceFacts): number {
  const outputFrames = Math.max(1, Math.round(seconds * facts.sampleRate))
  return clampStretch(stretchForFrames(facts.frames, outputFrames))
}

/** Tempo after the stretch; undefined while the source's own is not known. */
export function bpmOf(target: Target, sourceBpm: number | undefined): number | undefined {
  return sourceBpm === undefined ? undefined : sourceBpm / target.stretch
}
export const stretchFromBpm = (sourceBpm: number, bpm: number) => clampStretch(sourceBpm / bpm)

/** Bars of the result at the source's tempo read as the result's: what the part's beats become. */
export const barsOf = (facts: SourceFacts, sourceBpm: number, beatsPerBar: number) =>
  (facts.frames / facts.sampleRate) * (sourceBpm / 60 / beatsPerBar)

/** The stretch that fills exactly so many bars at a tempo. */
export function stretchFromBars(bars: number, beatsPerBar: number, bpm: number, facts: SourceFacts): number {
  return stretchFromSeconds((bars * beatsPerBar * 60) / bpm, facts)
}

/** Semitones from one root to another by the shorter way: −5 to 6. */
export function shortestInterval(fromRoot: number, toRoot: number): number {
  const up = (((toRoot - fromRoot) % 12) + 12) % 12
  return up > 6 ? up - 12 : up
}

/**
 * Semitones from key to key by the shorter way. Between major and minor they go to the relative key: its notes are
 * the same.
 */
export function keyInterval(from: Pick<Key, 'root' | 'mode'>, to: Pick<Key, 'root' | 'mode'>): number {
  const relative = !from.mode || !to.mode || from.mode === to.mode ? 0 : to.mode === 'minor' ? 3 : -3
  return shortestInterval(from.root, to.root + relative)
}

/** Whole semitones nearest to the pitch, and the cents that are left: −50 to 50. */
export function pitchParts(pitchSemitones: number): { semitones: number; cents: number } {
  const semitones = Math.round(pitchSemitones)
  return { semitones: semitones || 0, cents: Math.round((pitchSemitones - semitones) * 100 * 100) / 100 || 0 }
}

export function pitchFromParts(semitones: number, cents: number): number {
  return clampPitch(semitones + cents / 100)
}

/** The depth of a file that is written: as chosen, or as the source's own; 24 bit where it has none. */
export function depthOf(
  format: 'source' | '16' | '24' | '32f',
  facts: Pick<SourceFacts, 'depth'> | undefined,
): '16' | '24' | '32f' {
  if (format !== 'source') return format
  const { bits = 24, float = false } = facts?.depth ?? {}
  return float || bits > 24 ? '32f' : bits > 16 ? '24' : '16'
}

/** Whether nothing is wanted that the source is not already. */
export const isPlain = (target: Target) =>
  target.stretch === 1 &&
  target.pitchSemitones === 0 &&
  target.holdPercent === 0 &&
  (target.formants !== 'shift' || target.formantSemitones === 0)
