import { z } from 'zod'
import { FADE_RANGE, FORMANT_RANGE, HOLD_RANGE, PITCH_RANGE, SAMPLE_RATE_RANGE, STRETCH_RANGE } from '../core'
import { markSchema, slotSchema } from './pictureSchema'
import { filterSchema, playShape, prepareSchema } from './playSchema'
import { timelineShape } from './timelineSchema'
import { grooveSchema, timingSchema } from './timingSchema'

/**
 * A session is plain data. `readSession` reads it and mends what does not hold. docs/session.md tells it to whoever
 * writes one by hand.
 */

/** of microphones on one performance */
export const MOST_KIN = 32

/** lanes that are joined to one */
export const MOST_JOINS = 1000

/** of what is written here; what older versions wrote is brought up to it by `migrations` */
export const SESSION_VERSION = 2

const text = z.string().max(1000)
const settingValue = z.union([z.number(), text])
export const SESSION_BPM_RANGE = { min: 10, max: 999 } as const
export const keySchema = z.object({
  root: z.number().int().min(0).max(11),
  mode: z.enum(['major', 'minor']).optional(),
})
/** of a file's bytes: SHA-256, hex */
const hashSchema = z.string().regex(/^[0-9a-f]{64}$/)

/** a method that takes over from a moment on, s */
export const joinSchema = z.object({
  source: z.number(),
  methodId: text,
  settings: z.record(text, settingValue).default({}),
  fade: z.number().optional(),
})

const variantSchema = z.object({
  id: text.min(1),
  /** A, B, C …; stays with the variant */
  letter: z.string().length(1),
  methodId: text,
  /** settings that were changed, by method, so that trying another method loses none */
  settings: z.record(text, z.record(text, settingValue)).default({}),
  seed: z.number().int().min(0).max(0xffffffff).default(1),
  /** others that take over from moments of the file on, s; rising. `methodId` makes what lies before the first */
  joins: z
    .array(
      joinSchema.extend({
        source: z.number().nonnegative(),
        fade: z.number().min(FADE_RANGE.min).max(FADE_RANGE.max).optional(),
      }),
    )
    .max(MOST_JOINS)
    .optional(),
})

export const factsSchema = z.object({
  frames: z.number().int().positive(),
  /** need not be whole: some old samplers had 22254.5454 Hz */
  sampleRate: z.number().min(SAMPLE_RATE_RANGE.min).max(SAMPLE_RATE_RANGE.max),
  channels: z.number().int().positive(),
  container: text,
  depth: z.object({ bits: z.number().positive(), float: z.boolean() }).optional(),
  peak: z.number().nonnegative(),
  /** of a film: how long its picture is, s, and how many there are a second */
  picture: z
    .object({
      seconds: z.number().positive(),
      width: z.number().int().positive(),
      height: z.number().int().positive(),
      rate: z.number().positive().max(1000),
    })
    .optional(),
  /** of the file's bytes, as they were when they were read */
  hash: text.optional(),
})

const fileFrame = z.number().int().nonnegative()

/** What a file says of places in its sound, its frames; a loop's end is exclusive. */
export const markersSchema = z.object({
  cues: z
    .array(z.object({ frame: fileFrame, label: text }))
    .max(10_000)
    .default([]),
  loops: z
    .array(
      z.object({
        startFrame: fileFrame,
        endFrame: fileFrame,
        kind: z.enum(['forward', 'alternating', 'backward']).default('forward'),
        /** 0 = for ever */
        plays: z
          .number()
          .int()
          .min(0)
          .max(2 ** 31)
          .default(0),
      }),
    )
    .max(1000)
    .default([]),
  /** the note at which it plays unchanged */
  rootNote: z.number().int().min(0).max(127).optional(),
})

/** What people said of a source against, or beside, what was found out; nothing that is found out changes it. */
const handSchema = z.object({
  bpm: z.number().min(10).max(999).optional(),
  /** where the first beat lies, seconds of the file */
  firstBeat: z.number().optional(),
  beatsPerBar: z.number().int().min(1).max(32).optional(),
  /** the beats of a free performance, seconds of the file, rising */
  beats: z.array(z.number()).max(100_000).optional(),
  key: keySchema.optional(),
  kind: z.enum(['hits', 'single line', 'chords', 'dense mix', 'noise']).optional(),
  /** untuned percussion: left out when several sources are transposed */
  untuned: z.boolean().optional(),
  /** frames of the file: attacks that were added, and found ones that were taken away */
  attacks: z.object({ added: z.array(z.number()).default([]), removed: z.array(z.number()).default([]) }).optional(),
  /** in place of what its file says */
  markers: markersSchema.optional(),
})

/** A finished comparison without names. `chance`: how likely it is by guessing alone. */
const blindSchema = z.object({
  at: text,
  mode: z.enum(['AB', 'ABX', 'rank']),
  rounds: z.number().int().positive(),
  lanes: z.array(z.object({ name: text, score: z.number() })),
  chance: z.number().min(0).max(1).optional(),
})

const targetSchema = z.object({
  stretch: z.number().min(STRETCH_RANGE.min).max(STRETCH_RANGE.max).default(1),
  pitchSemitones: z.number().min(PITCH_RANGE.min).max(PITCH_RANGE.max).default(0),
  formants: z.enum(['move', 'keep', 'shift']).default('move'),
  /** for `shift` */
  formantSemitones: z.number().min(FORMANT_RANGE.min).max(FORMANT_RANGE.max).default(0),
  /** how far attacks pass at their natural speed, % */
  holdPercent: z.number().min(HOLD_RANGE.min).max(HOLD_RANGE.max).default(0),
  /** pitch goes with speed, as on tape: whichever is changed, the other follows */
  tied: z.boolean().default(false),
})

export type Target = z.infer<typeof targetSchema>

export const PLAIN_TARGET: Target = {
  stretch: 1,
  pitchSemitones: 0,
  formants: 'move',
  formantSemitones: 0,
  holdPercent: 0,
  tied: false,
}

export const sourceSchema = z.object({
  id: text.min(1),
  name: text,
  /** the file's name; of a session that was written by hand, its path beside it */
  file: text.min(1),
  /** demo sounds come from the server again when they are needed; the bytes of others are kept with the session */
  origin: z.enum(['demo', 'file']).default('file'),
  /** by which the bytes are kept */
  hash: hashSchema.optional(),
  /** known once the file has been read */
  facts: factsSchema.optional(),
  target: targetSchema.default(PLAIN_TARGET),
  hand: handSchema.default({}),
  timing: timingSchema.optional(),
  /** of a film: marks on its pictures, seconds of its file */
  marks: z.array(markSchema).max(10_000).optional(),
  slot: slotSchema.optional(),
  prepare: prepareSchema.optional(),
  filter: filterSchema.optional(),
  /** ids of the sources that were recorded together with it, itself among them; the first one leads */
  kin: z.array(text).max(MOST_KIN).optional(),
  /** whether a new session tempo, or key, changes this source's target */
  follows: z
    .object({ tempo: z.boolean().default(false), key: z.boolean().default(false) })
    .default({ tempo: false, key: false }),
  /** the part of the file that is worked with, in its frames, end exclusive; all of it where there is none */
  range: z.object({ start: z.number().int().nonnegative(), end: z.number().int().positive() }).optional(),
  variants: z.array(variantSchema),
  blind: z.array(blindSchema).default([]),
  /** in source frames, end exclusive */
  selection: z.object({ start: z.number(), end: z.number() }).optional(),
})

export const sessionSchema = z.object({
  version: z.literal(SESSION_VERSION).default(SESSION_VERSION),
  sources: z.array(sourceSchema),
  /** what sources are fitted to: beats a minute */
  bpm: z.number().min(SESSION_BPM_RANGE.min).max(SESSION_BPM_RANGE.max).default(96),
  key: keySchema.optional(),
  grooves: z.array(grooveSchema).max(500).default([]),
  ...timelineShape,
  ...playShape,
})

export type Variant = z.infer<typeof variantSchema>
export type VariantJoin = NonNullable<Variant['joins']>[number]
export type Source = z.infer<typeof sourceSchema>
export type BlindResult = z.infer<typeof blindSchema>
export type Hand = Source['hand']
export type Key = z.infer<typeof keySchema>
export type SourceFacts = z.infer<typeof factsSchema>
export type Session = z.infer<typeof sessionSchema>
