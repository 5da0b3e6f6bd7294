import { z } from 'zod'
import { artefactKinds, methods } from '../core'
import { batchSettingsSchema, FIRST_BATCH } from './batch/settings'
import { firstSources } from './create'
import { exportOutlook, FIRST_EXPORT_OUTLOOK } from './exportSettings'

const sweepOutlook = z.object({
  axis: z.enum(['length', 'far', 'pitch']),
  methodIds: z.array(z.enum(methods.map(({ id }) => id))),
  /** which kind of harm is drawn, or the worst of all */
  shown: z.enum(['worst', ...artefactKinds.map(({ id }) => id)]),
  /** the source that is being swept: goes on after a reload */
  running: z.string().optional(),
})

const FIRST_SWEEP: z.infer<typeof sweepOutlook> = {
  axis: 'length',
  methodIds: methods.map((method) => method.id),
  shown: 'worst',
}

const FIRST_BEATS = { start: -0.7, span: 78 }

/** What the eye and ear are on; kept, but no step of undo. */
export const outlookSchema = z.object({
  selectedId: z.string().optional(),
  /** per source: the lane that is heard, 'reference' or a variant's id; and the last variant that was */
  lanes: z.record(z.string(), z.object({ active: z.string(), chosen: z.string().optional() })),
  /** per source: first visible source frame and frames across the lane */
  views: z.record(z.string(), z.object({ start: z.number(), span: z.number().positive() })),
  /** per source: the playhead's position, in source frames */
  positions: z.record(z.string(), z.number()),
  theme: z.enum(['ink', 'paper']),
  looping: z.boolean(),
  matched: z.boolean(),
  view: z.enum(['bench', 'sweep', 'timeline', 'play', 'export']).default('bench'),
  /** the timeline's playhead, beats */
  beat: z.number().min(0).default(0),
  /** first visible beat of the timeline, and beats across */
  beats: z.object({ start: z.number(), span: z.number().positive() }).default(FIRST_BEATS),
  /** parts of the timeline that are chosen */
  parts: z.array(z.string()).default([]),
  /** what parts snap to: beats, or none */
  snap: z.enum(['bar', 'beat', 'half', 'quarter', 'free']).default('beat'),
  /** a bar of click before the timeline plays */
  countIn: z.boolean().default(false),
  /** whether the timeline clicks */
  mixClick: z.boolean().default(false),
  /** what of a source's timing is drawn over the lanes */
  strip: z.enum(['off-grid', 'speed']).default('off-grid'),
  /** whether the timing of the chosen part is shown under the timeline */
  partTiming: z.boolean().default(false),
  /** what of Play is shown under the strip */
  playPanel: z.enum(['pick', 'keys', 'prepare', 'filter', 'imprint', 'takes']).default('pick'),
  /** the pick that is chosen in Play */
  pick: z.string().optional(),
  /** how long before the key a pick is taken to begin, ms: the hand comes late */
  leadMs: z.number().min(0).max(2000).default(250),
  /** the hand on the strip: whether dragging leads the sound, how fast it goes on by itself, how it sounds */
  hand: z
    .object({
      on: z.boolean(),
      speed: z.number().min(-2).max(2),
      jitterMs: z.number().min(0).max(200),
      spreadMs: z.number().min(0).max(500).default(0),
      windowMs: z.number().min(20).max(400),
    })
    .default({ on: false, speed: 0, jitterMs: 8, spreadMs: 0, windowMs: 85 }),
  /** whether letters play the keys, in Play */
  lettersPlay: z.boolean().default(false),
  /** the lowest key of the letters */
  lettersFrom: z.number().min(0).max(108).default(45),
  /** when what is struck begins, where something with beats plays */
  noteStart: z.enum(['now', 'beat', 'bar']).default('now'),
  /** bars that an overdub goes round */
  roundBars: z.number().int().min(1).max(64).default(2),
  /** how fast all is heard, whatever it is: 1 as it is */
  listeningSpeed: z.number().min(0.5).max(8).default(1),
  /** what is shown under the lanes */
  panel: z.enum(['settings', 'timing', 'picture', 'explore', 'scorecard', 'advice', 'blind']).default('settings'),
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
  format: z.enum(['source', '16', '24', '32f']),
  /** rate of the file that is written, Hz */
  rate: z.enum(['source', '44100', '48000', '88200', '96000']).default('source'),
  /** what is exported, and as what */
  exporting: exportOutlook.default(FIRST_EXPORT_OUTLOOK),
  /** what is asked of listed files */
  batch: batchSettingsSchema.default(FIRST_BATCH),
  /** what the list at the left shows */
  list: z.enum(['shelf', 'found']).default('shelf'),
  /** clicks over the source: none, beats, or eighths */
  click: z.enum(['off', 'beats', 'eighths']).default('off'),
  audition: z
    .object({ fitted: z.boolean(), start: z.enum(['now', 'beat', 'bar']) })
    .default({ fitted: false, start: 'now' }),
})

export type Outlook = z.infer<typeof outlookSchema>

export function firstOutlook(theme: Outlook['theme']): Outlook {
  return {
    selectedId: firstSources[0]?.id,
    lanes: {},
    views: {},
    positions: {},
    theme,
    looping: true,
    matched: true,
    view: 'bench',
    beat: 0,
    beats: FIRST_BEATS,
    parts: [],
    snap: 'beat',
    countIn: false,
    mixClick: false,
    strip: 'off-grid',
    partTiming: false,
    playPanel: 'pick',
    leadMs: 250,
    hand: { on: false, speed: 0, jitterMs: 8, spreadMs: 0, windowMs: 85 },
    lettersPlay: false,
    lettersFrom: 45,
    noteStart: 'now',
    roundBars: 2,
    listeningSpeed: 1,
    panel: 'settings',
    sweep: FIRST_SWEEP,
    display: { show: 'waveform', frequency: 'log' },
    switchMs: 12,
    turns: false,
    format: 'source',
    rate: 'source',
    exporting: FIRST_EXPORT_OUTLOOK,
    batch: FIRST_BATCH,
    list: 'shelf',
    click: 'off',
    audition: { fitted: false, start: 'now' },
  }
}
