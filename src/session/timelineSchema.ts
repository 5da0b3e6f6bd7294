import { z } from 'zod'
import { BEATS_PER_BAR_RANGE, BPM_RANGE, FORMANT_RANGE, PITCH_RANGE, STRETCH_RANGE } from '../core'

/** The timeline of a session: parts on rows, against bars, under one tempo line. */

const text = z.string().max(1000)
const beatsPerBar = z.number().int().min(BEATS_PER_BAR_RANGE.min).max(BEATS_PER_BAR_RANGE.max)
const bpm = z.number().min(BPM_RANGE.min).max(BPM_RANGE.max)
/** beats that a timeline may have: a day at 700 BPM */
const MOST_BEATS = 1_000_000
const gainDb = z.number().min(-96).max(24).default(0)
const fade = z.number().min(0).max(600).default(0)

export const LEAST_BEATS = 1 / 64

const tempoEventSchema = z.object({
  beat: z.number().min(0).max(MOST_BEATS),
  bpm,
  /** how the tempo goes on from here */
  curve: z.enum(['step', 'linear', 'log']).default('step'),
})

const rowSchema = z.object({
  id: text.min(1),
  name: text,
  gainDb,
  muted: z.boolean().default(false),
  solo: z.boolean().default(false),
})

const partSchema = z.object({
  id: text.min(1),
  /** the id of its source */
  source: text.min(1),
  /** the id of its row */
  row: text.min(1),
  /** the id of one of its source's variants; without it, and without a method of its own, the first */
  variant: text.optional(),
  /** a method of its own, with the settings that differ from what it takes by itself */
  method: text.optional(),
  settings: z.record(text, z.union([z.number(), text])).optional(),
  /** in place of its source's target */
  semitones: z.number().min(PITCH_RANGE.min).max(PITCH_RANGE.max).optional(),
  formants: z.enum(['move', 'keep', 'shift']).optional(),
  formantSemitones: z.number().min(FORMANT_RANGE.min).max(FORMANT_RANGE.max).optional(),
  /** of a part that is locked to seconds */
  stretch: z.number().min(STRETCH_RANGE.min).max(STRETCH_RANGE.max).optional(),
  lock: z.enum(['bars', 'seconds']).default('bars'),
  startBeat: z.number().min(0).max(MOST_BEATS),
  beats: z.number().min(LEAST_BEATS).max(MOST_BEATS).optional(),
  offset: z.number().min(-MOST_BEATS).max(MOST_BEATS).default(0),
  feel: z.union([z.literal(0.5), z.literal(1), z.literal(2)]).default(1),
  repeat: z.boolean().default(false),
  gainDb,
  fadeIn: fade,
  fadeOut: fade,
})

const sectionSchema = z.object({
  id: text.min(1),
  name: text,
  /** the bar that it begins with, from 1 on */
  bar: z.number().int().min(1).max(100_000),
  bars: z.number().int().min(1).max(100_000),
  /** its own tempo, in place of the tempo line's */
  bpm: bpm.optional(),
})

export const timelineShape = {
  /** as steady as `bpm` where there is none */
  tempoLine: z.array(tempoEventSchema).default([]),
  beatsPerBar: beatsPerBar.default(4),
  /** from these bars on, counted from 1, bars have so many beats */
  metre: z.array(z.object({ bar: z.number().int().min(1).max(100_000), beatsPerBar })).default([]),
  rows: z.array(rowSchema).default([]),
  parts: z.array(partSchema).default([]),
  sections: z.array(sectionSchema).default([]),
  click: z.object({ gainDb: z.number().min(-96).max(12).default(-6), inMix: z.boolean().default(false) }).default({
    gainDb: -6,
    inMix: false,
  }),
}

export type TimelineRow = z.infer<typeof rowSchema>
export type TimelinePart = z.infer<typeof partSchema>
export type Section = z.infer<typeof sectionSchema>
export type TempoLineEvent = z.infer<typeof tempoEventSchema>
