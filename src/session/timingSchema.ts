import { z } from 'zod'
import { GRIDS, type GridName, MOST_GROOVE_BARS, SPEED_RANGE, STRAIGHT_SWING, SWING_RANGE } from '../core'

/** What is meant to happen to the timing inside a source. Moments are seconds of its file. */

const gridSchema = z.enum(Object.keys(GRIDS) as [GridName, ...GridName[]])
const beatsPerBarSchema = z.number().int().min(1).max(32)

export const pinSchema = z.object({
  source: z.number().nonnegative(),
  /** where it is to sound in the source's own time */
  own: z.number().nonnegative(),
})

const ruleSchema = z.object({
  grid: gridSchema.default('1/16'),
  /** %, 50 is straight */
  swing: z.number().min(SWING_RANGE.min).max(SWING_RANGE.max).default(STRAIGHT_SWING),
  /** how far attacks are drawn to the grid, % */
  strength: z.number().min(0).max(100).default(0),
  /** what lies farther off is left alone, ms */
  windowMs: z.number().positive().max(10_000).optional(),
  /** id of one of the session's grooves */
  groove: z.string().max(1000).optional(),
  /** only attacks between these are moved */
  from: z.number().nonnegative().optional(),
  to: z.number().nonnegative().optional(),
})

export const speedCurveSchema = z.object({
  points: z
    .array(
      z.object({
        seconds: z.number().nonnegative(),
        percent: z.number().min(SPEED_RANGE.min).max(SPEED_RANGE.max),
        curve: z.enum(['straight', 'curved']).optional(),
      }),
    )
    .max(1000),
  keepsLength: z.boolean().optional(),
})

/** ten minutes, and some more */
export const MOST_GIVING_STEPS = 65_536

const pacingSchema = z.object({
  /** %: how far what gives way gives way before the rest */
  percent: z.number().min(0).max(100),
  /** where what was found begins */
  from: z.number().nonnegative(),
  stepSeconds: z.number().min(0.001).max(1),
  /** of each step, 0 to 100: how far the sound gives way there */
  gives: z.array(z.number().int().min(0).max(100)).max(MOST_GIVING_STEPS),
})

export const timingSchema = z.object({
  /** by hand */
  pins: z.array(pinSchema).max(20_000).default([]),
  rule: ruleSchema.optional(),
  /** what the rule and the pins come to, those that are only held among them: this is what sounds */
  placed: z.array(pinSchema).max(100_000).default([]),
  speedCurve: speedCurveSchema.optional(),
  /** speech pacing: `speedCurve` is what it comes to */
  pacing: pacingSchema.optional(),
})

/** Grooves that were taken, to be laid on any source. */
export const grooveSchema = z.object({
  id: z.string().min(1).max(1000),
  name: z.string().max(1000),
  grid: gridSchema,
  beatsPerBar: beatsPerBarSchema,
  bars: z.number().int().min(1).max(MOST_GROOVE_BARS),
  /** for each step: how far behind its straight place it is played, beats; null where nothing is */
  offsets: z.array(z.number().nullable()).max(4096),
  spreads: z.array(z.number().nullable()).max(4096).default([]),
  counts: z.array(z.number()).max(4096).default([]),
  bpm: z.number().min(5).max(1000),
})

export type SourcePacing = z.infer<typeof pacingSchema>
export type SourceTiming = z.infer<typeof timingSchema>
export type SourceRule = z.infer<typeof ruleSchema>
export type NamedGroove = z.infer<typeof grooveSchema>
