import { z } from 'zod'
import { FORMANT_RANGE, HOLD_RANGE, PITCH_RANGE, STRETCH_RANGE } from '../core'

/** All that is kept of a session: plain data, checked when it is read back. */

const settingValue = z.union([z.number(), z.string()])

const variantSchema = z.object({
  id: z.string(),
  /** A, B, C …; stays with the variant */
  letter: z.string().length(1),
  methodId: z.string(),
  /** settings that were changed, by method, so that trying another method loses none */
  settings: z.record(z.string(), z.record(z.string(), settingValue)),
  seed: z.number().int().nonnegative(),
})

const factsSchema = z.object({
  frames: z.number().int().positive(),
  sampleRate: z.number().int().positive(),
  channels: z.number().int().positive(),
  container: z.string(),
  depth: z.object({ bits: z.number(), float: z.boolean() }).optional(),
  peak: z.number(),
  /** of the file's bytes */
  hash: z.string().optional(),
})

/** What people said of a source against, or beside, what was found out; nothing that is found out changes it. */
const handSchema = z.object({
  bpm: z.number().min(10).max(999).optional(),
  /** where the first beat lies, seconds of the file */
  firstBeat: z.number().optional(),
  beatsPerBar: z.number().int().min(1).max(32).optional(),
  key: z.object({ root: z.number().int().min(0).max(11), mode: z.enum(['major', 'minor']).optional() }).optional(),
  kind: z.enum(['hits', 'single line', 'chords', 'dense mix', 'noise']).optional(),
  /** untuned percussion: left out when several sources are transposed */
  untuned: z.boolean().optional(),
  /** frames of the file: attacks that were added, and found ones that were taken away */
  attacks: z.object({ added: z.array(z.number()), removed: z.array(z.number()) }).optional(),
})

/** A finished comparison without names. `chance`: how likely it is by guessing alone. */
const blindSchema = z.object({
  at: z.string(),
  mode: z.enum(['AB', 'ABX', 'rank']),
  rounds: z.number().int().positive(),
  lanes: z.array(z.object({ name: z.string(), score: z.number() })),
  chance: z.number().min(0).max(1).optional(),
})

/** A tempo that was typed used to be a part of the target. */
function liftTempo(source: unknown): unknown {
  const old = source as { target?: { sourceBpm?: number }; hand?: { bpm?: number } } | undefined
  const bpm = old?.target?.sourceBpm
  return old && bpm ? { ...old, hand: { bpm, ...old.hand } } : source
}

const sourceFields = z.object({
  id: z.string(),
  name: z.string(),
  file: z.string(),
  /** demo sounds come from the server again when they are needed; others lie in the browser */
  origin: z.enum(['demo', 'file']),
  /** known once the file has been read */
  facts: factsSchema.optional(),
  target: z.object({
    stretch: z.number().min(STRETCH_RANGE.min).max(STRETCH_RANGE.max),
    pitchSemitones: z.number().min(PITCH_RANGE.min).max(PITCH_RANGE.max),
    formants: z.enum(['move', 'keep', 'shift']),
    /** for `shift` */
    formantSemitones: z.number().min(FORMANT_RANGE.min).max(FORMANT_RANGE.max).default(0),
    /** how far attacks pass at their natural speed, % */
    holdPercent: z.number().min(HOLD_RANGE.min).max(HOLD_RANGE.max).default(0),
    /** pitch goes with speed, as on tape: whichever is changed, the other follows */
    tied: z.boolean().default(false),
  }),
  hand: handSchema.default({}),
  /** whether a new session tempo, or key, changes this source's target */
  follows: z.object({ tempo: z.boolean(), key: z.boolean() }).default({ tempo: false, key: false }),
  /** the part of the file that is worked with, in its frames, end exclusive; all of it where there is none */
  range: z.object({ start: z.number().int().nonnegative(), end: z.number().int().positive() }).optional(),
  variants: z.array(variantSchema),
  blind: z.array(blindSchema).default([]),
  /** in source frames, end exclusive */
  selection: z.object({ start: z.number(), end: z.number() }).optional(),
})

const sourceSchema = z.preprocess(liftTempo, sourceFields)

const keySchema = z.object({ root: z.number().int().min(0).max(11), mode: z.enum(['major', 'minor']).optional() })

export const sessionSchema = z.object({
  version: z.literal(1),
  sources: z.array(sourceSchema),
  /** what sources are fitted to: beats a minute */
  bpm: z.number().min(10).max(999).default(96),
  key: keySchema.optional(),
})

export type Variant = z.infer<typeof variantSchema>
export type Source = z.infer<typeof sourceFields>
export type BlindResult = z.infer<typeof blindSchema>
export type Hand = Source['hand']
export type Key = z.infer<typeof keySchema>
export type SourceFacts = z.infer<typeof factsSchema>
export type Target = Source['target']
export type Session = Omit<z.infer<typeof sessionSchema>, 'sources'> & { sources: Source[] }
