import { z } from 'zod'
import { methods, STRETCH_RANGE } from '../../core'
import { exportSettingsSchema } from '../exportSettings'
import { keySchema } from '../schema'
import type { BatchWish } from './plan'

/** What a batch of listed files is asked for, and what is written down of one that runs. */

const methodSchema = z.string().refine((id) => methods.some((method) => method.id === id))
/** `material`: by the kind of sound; `advice`: by what harms it least */
const chosenMethod = z.union([z.literal('material'), z.literal('advice'), methodSchema])
export type ChosenMethod = z.infer<typeof chosenMethod>

export const BPM_RANGE = { min: 20, max: 400 } as const
export const SECONDS_RANGE = { min: 0.01, max: 36_000 } as const
export const SEMITONE_RANGE = { min: -48, max: 48 } as const
const bpmSchema = z.number().min(BPM_RANGE.min).max(BPM_RANGE.max)
const stretchSchema = z.number().min(STRETCH_RANGE.min).max(STRETCH_RANGE.max)
const semitonesSchema = z.number().min(SEMITONE_RANGE.min).max(SEMITONE_RANGE.max)

/** What one file is to have of its own. */
const ownSchema = z.object({
  /** it is left out */
  left: z.boolean().optional(),
  /** the tempo it has */
  bpm: bpmSchema.optional(),
  stretch: stretchSchema.optional(),
  semitones: semitonesSchema.optional(),
  method: chosenMethod.optional(),
})
export type OwnWish = z.infer<typeof ownSchema>

export const batchSettingsSchema = z.object({
  aim: z.enum(['bpm', 'stretch', 'seconds']).default('bpm'),
  bpm: bpmSchema.default(96),
  stretch: stretchSchema.default(1),
  seconds: z.number().min(SECONDS_RANGE.min).max(SECONDS_RANGE.max).default(10),
  key: keySchema.optional(),
  semitones: semitonesSchema.default(0),
  method: chosenMethod.default('material'),
  /** whether what was made is measured */
  measure: z.boolean().default(true),
  to: z.enum(['folder', 'zip']).default('zip'),
  /** by listed file */
  own: z.record(z.string(), ownSchema).default({}),
})
export type BatchSettings = z.infer<typeof batchSettingsSchema>
export const FIRST_BATCH: BatchSettings = batchSettingsSchema.parse({})

/** What is wanted of a file, and whether its method is to be found by trying all. */
export function wishOf(settings: BatchSettings, own: OwnWish = {}): BatchWish & { readonly advised: boolean } {
  const method = own.method ?? settings.method
  const { aim, bpm, stretch, seconds } = settings
  return {
    aim:
      own.stretch !== undefined
        ? { kind: 'stretch', stretch: own.stretch }
        : aim === 'bpm'
          ? { kind: 'bpm', from: own.bpm, to: bpm }
          : aim === 'seconds'
            ? { kind: 'seconds', seconds }
            : { kind: 'stretch', stretch },
    // a pitch by hand is the whole of it
    key: own.semitones === undefined && settings.key ? { root: settings.key.root, mode: settings.key.mode } : undefined,
    semitones: own.semitones ?? settings.semitones,
    method: method === 'material' || method === 'advice' ? undefined : method,
    advised: method === 'advice',
  }
}

/** What holds for all files of a batch that runs. */
const runSchema = z.object({
  settings: exportSettingsSchema,
  measure: z.boolean(),
  to: z.enum(['folder', 'zip']),
  /** the tempo that all come to */
  bpm: bpmSchema.optional(),
  paused: z.boolean(),
})
export type BatchRun = z.infer<typeof runSchema>

const text = z.string()
const figure = z.number()
const harmSchema = z.object({
  verdict: text,
  worst: text.optional(),
  figure: text.optional(),
  severity: figure.optional(),
  atSeconds: figure.optional(),
})

/** What came of a file: a row of the summary. */
const rowSchema = z.object({
  file: text,
  output: text,
  status: z.enum(['done', 'failed']),
  /** why it failed */
  error: text.optional(),
  material: text.optional(),
  bpm: figure.optional(),
  key: text.optional(),
  stretch: figure.optional(),
  semitones: figure.optional(),
  method: text.optional(),
  /** how natural it should sound, by its material */
  reading: text.optional(),
  /** what may not hold */
  doubts: z.array(text),
  sourceSeconds: figure.optional(),
  seconds: figure.optional(),
  rate: figure.optional(),
  bytes: figure.optional(),
  peak: figure.optional(),
  clippedSamples: figure.optional(),
  /** where it was brought to a level */
  lufs: figure.optional(),
  harm: harmSchema.optional(),
})

/** One file of a batch that runs. */
const fileSchema = z.object({
  /** of the listed file */
  id: text.min(1),
  order: z.number().int().nonnegative(),
  path: text.min(1),
  output: text.min(1),
  stretch: stretchSchema,
  semitones: z.number(),
  /** undefined: by what harms it least */
  method: methodSchema.optional(),
  reading: text.optional(),
  doubts: z.array(text),
  /** what became of it; nothing yet without */
  row: rowSchema.optional(),
  /** where it was put, in words; nowhere yet without */
  saved: text.optional(),
})
export type BatchFile = z.infer<typeof fileSchema>
export type BatchRow = z.infer<typeof rowSchema>

export const readBatchRun = (raw: unknown): BatchRun | undefined => runSchema.safeParse(raw).data
export const readBatchFile = (raw: unknown): BatchFile | undefined => fileSchema.safeParse(raw).data
