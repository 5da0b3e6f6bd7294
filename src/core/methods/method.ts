import type { Analysis, AnalysisNeed } from '../analysis/analysis'
import type { AudioBlock, Channels } from '../audio/block'
import type { OutputFrame } from '../timeline/axes'
import type { PitchLine } from '../timeline/pitchLine'
import type { TimeMap } from '../timeline/timeMap'
import type { SettingsOf, SettingsSchema, SettingValues } from './settings'

export type Family = 'transient' | 'tonal' | 'granular' | 'layered' | 'speed'

/** All that a method gets to see of what the user wants. */
export interface MethodInput<S extends SettingsSchema = SettingsSchema> {
  readonly source: AudioBlock
  /** output → source position */
  readonly map: TimeMap
  readonly pitch: PitchLine
  /**
   * where the spectral envelope is to be, as a ratio to where it lies in the source; for methods that shape it
   * themselves
   */
  formantRatioAt(output: OutputFrame): number
  readonly settings: SettingsOf<S>
  /** where all randomness comes from */
  readonly seed: number
  /** what the method said that it needs */
  readonly analysis: Analysis
}

/**
 * A result that is pulled. `read(outputFrame, out)` fills `out[c]` with the frames from `outputFrame` on, as many as
 * the arrays hold. Reading on from where the last read ended is the normal case and gives the same samples whatever the
 * block lengths. Reading elsewhere is a seek: what carries state from frame to frame starts afresh there, so the same
 * seek gives the same samples, at the same level and pitch; `exactSeek` methods give the very samples of a straight
 * read.
 */
export interface Voice {
  read(outputFrame: number, out: Channels): void
}

export interface Method<S extends SettingsSchema = SettingsSchema> {
  readonly id: string
  readonly label: string
  readonly family: Family
  /** what it is for, in one line */
  readonly use: string
  readonly settings: S
  /** analyses that must be ready before it can start */
  readonly needs: readonly AnalysisNeed[]
  /** whether a seek gives the very samples of a straight read */
  readonly exactSeek: boolean
  /** true where length and pitch are one thing: then both turn the one speed */
  readonly tiesPitchToSpeed: boolean
  /** how it comes to its pitch: a stretch by the ratio that is read back at it, or a way of its own */
  readonly pitchBy: 'reading back' | 'own'
  /** whether it puts the spectral envelope where it is wanted by itself; otherwise that is done over its result */
  readonly ownFormants: boolean
  /** the settings that this material asks for, in place of the defaults; what is set by hand goes before */
  pick?(analysis: Analysis, sampleRate: number): Partial<SettingsOf<S>>
  /** frames of source around a moment that must be known before it can sound */
  latencyFrames(settings: SettingsOf<S>, sampleRate: number): number
  /** whether attack hold does its attacks any good; a session leaves it out where it does not */
  readonly gainsByHold: boolean
  /** whether its windows are so long that some of an attack may be heard before it */
  readonly spreadsAttacks?: boolean
  /** whether it can be led by hand: any place at any speed, held still too */
  readonly ledByHand?: boolean
  /** whether a seed has a say in the result */
  readonly seeded: boolean
  /** seconds of stereo sound made per second of one core, measured by `npm run bench` */
  readonly timesRealTime: number
  /**
   * seconds of source that a voice may be opened for at once, where it keeps what it makes of them; undefined for any
   */
  readonly mostSourceSeconds?: number
  open(input: MethodInput<S>): Voice
  /**
   * Where beginning anywhere takes long: all that a voice needs to begin at source frames `from` up to `to`, in small
   * steps; undefined where enough of it is there for one to begin at once. What was prepared is found by voices of the
   * same source that are opened later; the samples are the same without.
   */
  prepare?(source: AudioBlock, analysis: Analysis, from: number, to: number): Generator<void> | undefined
}

/** A method with its settings type hidden, as a registry holds it; values are checked before they come here. */
export type AnyMethod = Omit<Method, 'latencyFrames' | 'open' | 'pick'> & {
  pick?(analysis: Analysis, sampleRate: number): SettingValues
  latencyFrames(settings: SettingValues, sampleRate: number): number
  open(input: Omit<MethodInput, 'settings'> & { readonly settings: SettingValues }): Voice
}

/** Type a method by its own settings, and hand it out without them. */
export function defineMethod<S extends SettingsSchema>(method: Method<S>): AnyMethod {
  return method as unknown as AnyMethod
}
