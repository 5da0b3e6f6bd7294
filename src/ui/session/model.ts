import { z } from 'zod'
import {
  FORMANT_RANGE,
  firstMethods,
  HOLD_RANGE,
  methodById,
  methods,
  PITCH_RANGE,
  type Recipe,
  STRETCH_RANGE,
} from '../../core'

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

const sweepOutlook = z.object({
  axis: z.enum(['length', 'far', 'pitch']),
  methodIds: z.array(z.string()),
  /** which kind of harm is drawn, or the worst of all */
  shown: z.string(),
  /** the source that is being swept: goes on after a reload */
  running: z.string().optional(),
})

const FIRST_SWEEP: z.infer<typeof sweepOutlook> = {
  axis: 'length',
  methodIds: methods.map((method) => method.id),
  shown: 'worst',
}

/** What the eye and ear are on; kept, but no step of undo. */
export const outlookSchema = z.object({
  selectedId: z.string().optional(),
  /** per source: the lane that is heard, 'reference' or a variant's id; and the last variant that was */
  lanes: z.record(z.string(), z.object({ active: z.string(), chosen: z.string().optional() })),
  /** per source: first visible source frame and frames across the lane */
  views: z.record(z.string(), z.object({ start: z.number(), span: z.number() })),
  /** per source: where playing was, in source frames */
  places: z.record(z.string(), z.number()),
  theme: z.enum(['ink', 'paper']),
  looping: z.boolean(),
  matched: z.boolean(),
  view: z.enum(['bench', 'sweep']).default('bench'),
  /** what is shown under the lanes */
  panel: z.enum(['settings', 'explore', 'scorecard', 'advice', 'blind']).default('settings'),
  sweep: sweepOutlook.default(FIRST_SWEEP),
  /** what lanes draw: `against` is the lane that all others are told apart from */
  display: z
    .object({
      show: z.enum(['waveform', 'spectrogram']),
      frequency: z.enum(['log', 'linear']),
      against: z.string().optional(),
    })
    .default({ show: 'waveform', frequency: 'log' }),
  /** how long one lane takes over from another, ms */
  switchMs: z.number().min(1).max(500).default(12),
  /** each time round the loop the next lane is heard */
  turns: z.boolean().default(false),
  format: z.enum(['16', '24', '32f']),
  /** what the list at the left shows */
  list: z.enum(['shelf', 'found']).default('shelf'),
  /** clicks over the source: none, beats, or eighths */
  click: z.enum(['off', 'beats', 'eighths']).default('off'),
  audition: z
    .object({ fitted: z.boolean(), start: z.enum(['now', 'beat', 'bar']) })
    .default({ fitted: false, start: 'now' }),
})

export const keptSchema = z.object({ session: sessionSchema, outlook: outlookSchema })

export type Variant = z.infer<typeof variantSchema>
export type Source = z.infer<typeof sourceFields>
export type BlindResult = z.infer<typeof blindSchema>
export type Hand = Source['hand']
export type Key = z.infer<typeof keySchema>
export type SourceFacts = z.infer<typeof factsSchema>
export type Target = Source['target']
export type Session = Omit<z.infer<typeof sessionSchema>, 'sources'> & { sources: Source[] }
export type Outlook = z.infer<typeof outlookSchema>

export const REFERENCE = 'reference'
/** as many as there are letters to call them by */
export const MAX_VARIANTS = 26

/** The shelf of a first visit: what is on it, and one target that shows what the bench is for. */
const demoShelf: readonly { id: string; name: string; file: string; target?: Partial<Target> }[] = [
  { id: 'rope-winch', name: 'Rope winch', file: 'rope-winch_96bpm.wav', target: { stretch: 1.25 } },
  { id: 'hull-knocks', name: 'Hull knocks', file: 'hull-knocks.wav' },
  { id: 'harmonium', name: 'Harmonium', file: 'harmonium-chords.wav' },
  { id: 'foghorn-tune', name: 'Foghorn and whistle', file: 'foghorn-and-whistle.wav' },
  { id: 'guide-line', name: "Guide's line", file: 'guide-line-take-3.wav' },
  { id: 'harbour-bell', name: 'Harbour bell', file: 'harbour-bell.wav' },
  { id: 'rain-on-tin', name: 'Rain on tin', file: 'rain-on-tin.wav' },
  { id: 'gull', name: 'Gull', file: 'gull-glide.wav' },
  { id: 'capstan', name: 'Capstan', file: 'capstan-walk_120bpm.wav' },
  { id: 'chain-rattle', name: 'Chain rattle', file: 'chain-rattle_100.wav' },
]

export const PLAIN_TARGET: Target = {
  stretch: 1,
  pitchSemitones: 0,
  formants: 'move',
  formantSemitones: 0,
  holdPercent: 0,
  tied: false,
}

export function newSource(
  input: Pick<Source, 'id' | 'name' | 'file' | 'origin'> & { target?: Partial<Target> },
): Source {
  const { target, ...rest } = input
  return {
    ...rest,
    target: { ...PLAIN_TARGET, ...target },
    hand: {},
    blind: [],
    follows: { tempo: false, key: false },
    variants: firstMethods.map((methodId, i) => newVariant(`${input.id}-${i + 1}`, LETTERS[i] as string, methodId)),
  }
}

const LETTERS = 'ABCDEFGHIJKLMNOPQRSTUVWXYZ'

export function newVariant(id: string, letter: string, methodId: string): Variant {
  return { id, letter, methodId, settings: {}, seed: 1 }
}

/** The first letter that no variant here carries. */
export function freeLetter(variants: readonly Variant[]): string {
  return [...LETTERS].find((letter) => !variants.some((v) => v.letter === letter)) ?? 'Z'
}

export function firstSession(): Session {
  return { version: 1, bpm: 96, sources: demoShelf.map((demo) => newSource({ ...demo, origin: 'demo' })) }
}

export function firstOutlook(theme: Outlook['theme']): Outlook {
  return {
    selectedId: demoShelf[0]?.id,
    lanes: {},
    views: {},
    places: {},
    theme,
    looping: true,
    matched: true,
    view: 'bench',
    panel: 'settings',
    sweep: FIRST_SWEEP,
    display: { show: 'waveform', frequency: 'log' },
    switchMs: 12,
    turns: false,
    format: '24',
    list: 'shelf',
    click: 'off',
    audition: { fitted: false, start: 'now' },
  }
}

/** Facts of the part of a source that is worked with. */
export function partFacts(source: Source): SourceFacts | undefined {
  const { facts, range } = source
  return facts && range ? { ...facts, frames: range.end - range.start } : facts
}

/** Tells one part of a source from another: what is drawn, measured and found out belongs to it. */
export const soundKey = ({ id, range }: Pick<Source, 'id' | 'range'>) =>
  range ? `${id} ${range.start} ${range.end}` : id

/** The recipe that a variant makes of its source's target. */
export function recipeOf(source: Source, variant: Variant): Recipe {
  return {
    version: 1,
    stretch: source.target.stretch,
    // a method that ties them itself would otherwise turn its speed twice
    pitchSemitones:
      source.target.tied && methodById(variant.methodId).tiesPitchToSpeed ? 0 : source.target.pitchSemitones,
    formants: source.target.formants,
    ...(source.target.formants === 'shift' && { formantSemitones: source.target.formantSemitones }),
    ...(source.target.holdPercent > 0 && { holdPercent: source.target.holdPercent }),
    methodId: variant.methodId,
    settings: variant.settings[variant.methodId] ?? {},
    seed: variant.seed,
  }
}
