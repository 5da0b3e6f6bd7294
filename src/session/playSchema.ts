import { z } from 'zod'
import { FILTER_DB, FILTER_HZ, FINE_RANGE, LAYER_DB, MOST_FILTER_POINTS, VOICES_RANGE } from '../core'

/** What is played: how a source is shaped before that, picks on pads, one sound over the keys, takes. */

const text = z.string().max(1000)

const levelDb = z.number().min(LAYER_DB.min).max(LAYER_DB.max).default(0)

/** What is taken out of a source, or turned down, before it is stretched. */
export const prepareSchema = z.object({
  sinesDb: levelDb,
  attacksDb: levelDb,
  noiseDb: levelDb,
  /** seconds of the file: attacks that are taken out one by one */
  without: z.array(z.number().nonnegative()).max(20_000).default([]),
})

export const filterSchema = z.object({
  /** rising in Hz */
  points: z
    .array(
      z.object({
        hz: z.number().min(FILTER_HZ.min).max(FILTER_HZ.max),
        db: z.number().min(FILTER_DB.min).max(FILTER_DB.max),
      }),
    )
    .max(MOST_FILTER_POINTS),
  at: z.enum(['before', 'after']).default('before'),
  fineHz: z.number().min(FINE_RANGE.min).max(FINE_RANGE.max).optional(),
})

const ms = z.number().min(0).max(30_000)

/** How something is played: a pick on its pad, or a sound over the keys. */
const playedShape = {
  play: z.enum(['hold', 'through', 'loop']).default('hold'),
  attackMs: ms.default(0),
  releaseMs: ms.default(60),
  gainDb: z.number().min(-60).max(24).default(0),
  pan: z.number().min(-1).max(1).default(0),
} as const

/** A piece marked in a result, to be played from a pad. */
export const pickSchema = z.object({
  id: text.min(1),
  name: text,
  source: text.min(1),
  /** id or letter of a variant; the source itself where there is none */
  variant: text.optional(),
  /** seconds of the source's file, wherever its result has them by now */
  from: z.number().nonnegative(),
  to: z.number().nonnegative(),
  semitones: z.number().min(-36).max(36).default(0),
  reverse: z.boolean().default(false),
  /** of pads with the same one only one sounds */
  group: text.optional(),
  ...playedShape,
})

/** One sound over the keys. */
export const keysSchema = z.object({
  source: text.min(1),
  variant: text.optional(),
  /** id of a pick, in place of all of the sound */
  pick: text.optional(),
  /** the key at which it sounds as it is, 69 = A at 440 Hz; as found where it is not said */
  root: z.number().min(0).max(127).optional(),
  length: z.enum(['keep', 'tape']).default('keep'),
  /** whether resonances stay or move with the keys; as the result has them where it is not said */
  formants: z.enum(['keep', 'move']).optional(),
  /** stretched so that its beats are the session's, where its tempo is known */
  inTempo: z.boolean().default(false),
  voices: z.number().int().min(VOICES_RANGE.min).max(VOICES_RANGE.max).default(16),
  glideMs: z.number().min(0).max(5000).default(0),
  ...playedShape,
})

const led = { place: z.number().nonnegative(), speed: z.number().min(-4).max(4) } as const

/** What was played: notes at frames of the rate that they were played at. */
export const takeSchema = z.object({
  id: text.min(1),
  name: text,
  rate: z.number().int().min(8000).max(384_000),
  /** frames */
  length: z.number().int().nonnegative(),
  /** what the keys were, as far as any were played */
  keys: keysSchema.optional(),
  notes: z
    .array(
      z.object({
        /** id of a pick; the keys where there is none */
        pick: text.optional(),
        key: z.number().min(0).max(127),
        velocity: z.number().min(0).max(1),
        on: z.number().int().nonnegative(),
        off: z.number().int().nonnegative().optional(),
      }),
    )
    .max(100_000),
  /** places that were held and led by hand */
  hands: z
    .array(
      z.object({
        source: text.min(1),
        methodId: text.min(1),
        settings: z.record(text, z.union([z.number(), text])).default({}),
        semitones: z.number().min(-36).max(36).default(0),
        jitterMs: ms.default(0),
        spreadMs: ms.default(0),
        seed: z.number().int().min(0).max(0xffffffff),
        on: z.number().int().nonnegative(),
        off: z.number().int().nonnegative().optional(),
        /** frames of the source, and how fast it goes on from there */
        ...led,
        moves: z.array(z.object({ at: z.number().int().nonnegative(), ...led })).max(200_000),
      }),
    )
    .max(10_000)
    .default([]),
})

export const playShape = {
  picks: z.array(pickSchema).max(1000).default([]),
  keys: keysSchema.optional(),
  takes: z.array(takeSchema).max(500).default([]),
} as const

export type PrepareIntent = z.infer<typeof prepareSchema>
export type FilterIntent = z.infer<typeof filterSchema>
export type PickMark = z.infer<typeof pickSchema>
export type Keys = z.infer<typeof keysSchema>
export type Take = z.infer<typeof takeSchema>
