import { z } from 'zod'
import { artefactKinds, KNOWLEDGE_VERSION, type Knowledge, type Trial } from '../core'
import { factsSchema, type Source } from './schema'

/**
 * Records of what was found out only save finding it out twice. One that does not hold is no record.
 * Whoever asked finds it out again.
 */

const figure = z.custom<number>((value) => typeof value === 'number' && !Number.isNaN(value))
const finite = z.number()
const text = z.string()

const attacks = z.array(z.object({ frame: finite.nonnegative(), strength: finite }))

const knowledgeSchema = z.object({
  version: z.literal(KNOWLEDGE_VERSION),
  seconds: finite.nonnegative(),
  attacks,
  tempo: z.object({
    bpm: finite.positive().optional(),
    confidence: finite,
    candidates: z.array(z.object({ bpm: finite.positive(), weight: finite, evidence: z.array(text) })),
    beats: z.array(finite),
    beatsPerBar: z.number().int().positive(),
    firstBar: z.number().int().nonnegative(),
    drift: z.object({ percent: finite, bars: z.array(z.object({ seconds: finite, bpm: finite })) }),
  }),
  pitch: z.object({
    rootHz: finite.positive().optional(),
    root: z.number().int().min(0).max(11).optional(),
    mode: z.enum(['major', 'minor']).optional(),
    confidence: finite,
    tuningCents: finite,
    reasons: z.array(text),
  }),
  material: z.object({
    kind: z.enum(['hits', 'single line', 'chords', 'dense mix', 'noise', 'unsure']),
    confidence: finite,
    likely: z.enum(['hits', 'single line', 'chords', 'dense mix', 'noise']),
    shares: z.object({ sines: finite, attacks: finite, noise: finite }),
    reasons: z.array(text),
  }),
  loop: z
    .object({ bars: z.number().int().positive(), overhangMs: finite, startSeconds: finite, endSeconds: finite })
    .optional(),
})

const placeSchema = z.object({ sourceFrame: finite, spanFrames: finite, outputFrame: finite, value: figure })

const trialSchema = z.object({
  span: z.object({ from: finite.nonnegative(), to: finite.nonnegative() }),
  measurement: z.object({
    unlikenessDb: figure,
    artefacts: z
      .array(
        z.object({
          id: z.enum(artefactKinds.map(({ id }) => id)),
          value: figure,
          measured: z.boolean(),
          short: z.literal(true).optional(),
          places: z.array(placeSchema),
          local: z.object({ count: z.number().int().positive(), worst: placeSchema }).optional(),
          parts: z.record(text, figure),
        }),
      )
      .min(1),
  }),
})

const fileFactsSchema = z.object({
  hash: text.min(1),
  frames: z.number().int().positive(),
  sampleRate: finite.positive(),
  channels: z.number().int().positive(),
  container: text,
  peak: finite.nonnegative(),
  /** −Infinity for silence */
  loudness: figure,
  knowledge: knowledgeSchema,
})

/** What is known of a file, as it was kept; undefined for what does not hold, or was found out by another version. */
export const readKnowledge = (raw: unknown): Knowledge | undefined =>
  knowledgeSchema.safeParse(raw).success ? (raw as Knowledge) : undefined

/** What reading a file told, as it was written down; undefined for what does not hold. */
export const readFacts = (raw: unknown): Source['facts'] => {
  const read = factsSchema.safeParse(raw)
  return read.success ? read.data : undefined
}

/** What was measured of a result, as it was kept; undefined for what does not hold. */
export const readTrial = (raw: unknown): Trial | undefined =>
  trialSchema.safeParse(raw).success ? (raw as Trial) : undefined

/** What is known of a file that was only listed. */
export interface FoundFacts {
  /** of the bytes, SHA-256, hex: files with the same one are the same file */
  readonly hash: string
  readonly frames: number
  readonly sampleRate: number
  readonly channels: number
  readonly container: string
  readonly peak: number
  /** integrated, LUFS */
  readonly loudness: number
  readonly knowledge: Knowledge
}

/** The same of a listed file. */
export const readFoundFacts = (raw: unknown): FoundFacts | undefined =>
  fileFactsSchema.safeParse(raw).success ? (raw as FoundFacts) : undefined
