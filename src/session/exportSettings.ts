import { z } from 'zod'
import {
  CONTAINERS,
  type Container,
  containers,
  type Delivery,
  DITHERS,
  fileBase,
  rateFor,
  USUAL_CEILING_DB,
} from '../core'
import { kbpsSchema, rateSchema } from './recipeFile'

/** What the files of an export are to be; kept, and given names. */
export const exportSettingsSchema = z.object({
  container: z.enum(CONTAINERS).default('wav'),
  depth: z.enum(['source', '16', '24', '32', '32f']).default('source'),
  rate: z.union([z.literal('source'), rateSchema]).default('source'),
  kbps: kbpsSchema.optional(),
  mono: z.boolean().default(false),
  /** `match`: as loud as the source */
  level: z.enum(['as-is', 'match', 'loudness', 'peak']).default('as-is'),
  lufs: z.number().min(-40).max(-5).default(-16),
  ceilingDb: z.number().min(-20).max(0).default(USUAL_CEILING_DB),
  dither: z.enum(DITHERS).default('flat'),
  /** as it comes out; cut or filled up to whole bars; to the picture it is meant for */
  length: z.enum(['exact', 'bars', 'picture']).default('exact'),
  /** silence behind it, s */
  tailSeconds: z.number().min(0).max(60).default(0),
  pattern: z.string().max(200).default('{source}_{what}_{stretch}_{pitch}_{method}'),
  markers: z.enum(['keep', 'drop']).default('keep'),
  /** whether files say title, tempo, key, date and recipe */
  tags: z.boolean().default(true),
  /** whether a recipe is put beside each */
  recipe: z.boolean().default(false),
  to: z.enum(['downloads', 'folder', 'zip']).default('downloads'),
})
export type ExportSettings = z.infer<typeof exportSettingsSchema>

export const FIRST_EXPORT: ExportSettings = exportSettingsSchema.parse({})

/** A file of the computer that one result is saved over, again and again. */
const overSchema = z.object({
  /** of what is saved, as in `ticked` */
  key: z.string(),
  /** of the file */
  name: z.string(),
  settings: exportSettingsSchema,
  /** whether it is saved again at every change */
  again: z.boolean(),
  /** when the file was last changed as far as is known here, ms since 1970 */
  knownAt: z.number(),
})
export type Over = z.infer<typeof overSchema>

export const exportOutlook = z.object({
  /** whether the view is about what was made here, or about listed files */
  of: z.enum(['session', 'found']).default('session'),
  settings: exportSettingsSchema.default(FIRST_EXPORT),
  /** settings under names */
  presets: z
    .array(z.object({ name: z.string().min(1).max(60), settings: exportSettingsSchema }))
    .max(100)
    .default([]),
  /** what is ticked, by its key */
  ticked: z.array(z.string()).max(10_000).default([]),
  over: z.array(overSchema).max(200).default([]),
})
export type ExportOutlook = z.infer<typeof exportOutlook>

export const FIRST_EXPORT_OUTLOOK: ExportOutlook = {
  of: 'session',
  settings: FIRST_EXPORT,
  presets: [],
  ticked: [],
  over: [],
}

/** What a kind of file cannot have gives way to what it can. */
export function heldToKind(settings: ExportSettings): ExportSettings {
  const { container, depth, rate, kbps } = settings
  const { kbps: choices } = containers[container]
  return {
    ...settings,
    ...(container === 'flac' && (depth === '32' || depth === '32f') && { depth: '24' as const }),
    ...(rate !== 'source' && { rate: rateFor(container, rate) }),
    kbps: choices ? (choices.choices.includes(kbps ?? 0) ? kbps : choices.usual) : undefined,
  }
}

/** The delivery that settings come to for a sound. `own` is how deep and how loud that is. */
export function deliveryOfSettings(
  { container, depth, rate, kbps, mono, level, lufs, ceilingDb, dither }: ExportSettings,
  sampleRate: number,
  own: { readonly depth: Delivery['depth']; readonly lufs: number | undefined },
): Delivery {
  const hz = rateFor(container, rate === 'source' ? sampleRate : rate)
  const wanted = level === 'match' ? own.lufs : lufs
  return {
    container,
    depth: depth === 'source' ? own.depth : depth,
    ...(hz !== sampleRate && { rate: hz }),
    mono,
    level:
      level === 'peak'
        ? { kind: 'peak', ceilingDb }
        : (level === 'loudness' || level === 'match') && wanted !== undefined && Number.isFinite(wanted)
          ? { kind: 'loudness', lufs: Math.max(-40, Math.min(-5, wanted)), ceilingDb }
          : { kind: 'as-is' },
    dither,
    ...(kbps !== undefined && { kbps }),
  }
}

/** What may stand in a pattern of names, and what it stands for. */
export const NAME_FIELDS = {
  source: 'name of the source or row',
  what: 'letter of the variant, or pick, take, layer',
  method: 'method',
  stretch: 'stretch, like x1.25',
  pitch: 'semitones, like +2st; nothing at 0',
  bpm: 'tempo of the result',
  key: 'key of the result',
  n: 'number in the list',
  date: 'date',
} as const
export type NameField = keyof typeof NAME_FIELDS

/** Words in braces that a pattern has and that stand for nothing. */
export const unknownFields = (pattern: string): string[] =>
  [...pattern.matchAll(/\{([^{}]*)\}/g)].flatMap(([, word]) =>
    word !== undefined && word in NAME_FIELDS ? [] : [word ?? ''],
  )

/**
 * File names by a pattern, one for each; those that would be called the same are counted.
 * What no file system takes is left out, and so are separators around what stands for nothing.
 */
export function namesBy(
  pattern: string,
  container: Container,
  all: readonly Readonly<Partial<Record<NameField, string>>>[],
): string[] {
  const taken = new Set<string>()
  return all.map((fields, n) => {
    const own = { ...fields, n: fields.n ?? String(n + 1).padStart(2, '0') }
    const text = pattern.replace(/\{([^{}]*)\}/g, (_, word: string) => own[word as NameField] ?? '')
    const base = fileBase(text.replace(/([_\-. ])(?:\s*[_\-. ])+/g, '$1').replace(/^[_\-. ]+|[_\-. ]+$/g, ''))
    const { ending } = containers[container]
    let name = `${base}.${ending}`
    for (let k = 2; taken.has(name.toLowerCase()); k++) name = `${base}_${k}.${ending}`
    taken.add(name.toLowerCase())
    return name
  })
}
