import { firstLanes, type Material } from '../core'
import { WALL_CLOCK } from '../core/demo/wallClock'
import { PLAIN_TARGET, SESSION_VERSION, type Session, type Source, type Target, type Variant } from './schema'
import type { TimelinePart, timelineShape } from './timelineSchema'

/** the lane of the source itself */
export const REFERENCE = 'reference'
/** as many as there are letters to call them by */
export const MAX_VARIANTS = 26

/** The shelf of a first visit: what is on it, and one target that shows what the bench is for. */
export const firstSources: readonly {
  id: string
  name: string
  file: string
  kind: Material['kind']
  target?: Partial<Target>
}[] = [
  { id: 'rope-winch', name: 'Rope winch', file: 'rope-winch_96bpm.wav', kind: 'hits', target: { stretch: 1.25 } },
  { id: 'hull-knocks', name: 'Hull knocks', file: 'hull-knocks.wav', kind: 'hits' },
  { id: 'harmonium', name: 'Harmonium', file: 'harmonium-chords.wav', kind: 'chords' },
  { id: 'foghorn-tune', name: 'Foghorn and whistle', file: 'foghorn-and-whistle.wav', kind: 'single line' },
  { id: 'guide-line', name: "Guide's line", file: 'guide-line-take-3.wav', kind: 'single line' },
  { id: 'harbour-bell', name: 'Harbour bell', file: 'harbour-bell.wav', kind: 'chords' },
  { id: 'rain-on-tin', name: 'Rain on tin', file: 'rain-on-tin.wav', kind: 'noise' },
  { id: 'gull', name: 'Gull', file: 'gull-glide.wav', kind: 'single line' },
  { id: 'capstan', name: 'Capstan', file: 'capstan-walk_120bpm.wav', kind: 'dense mix' },
  { id: 'chain-rattle', name: 'Chain rattle', file: 'chain-rattle_100.wav', kind: 'hits' },
]

/** The film of a first visit, with marks on what happens in it. */
export const firstFilm = {
  id: 'wall-clock',
  name: 'Wall clock',
  file: 'wall-clock.webm',
  kind: 'hits',
  marks: [
    { id: 'opens', name: 'shutter opens', seconds: WALL_CLOCK.opens },
    { id: 'closes', name: 'shutter closes', seconds: WALL_CLOCK.closes },
  ],
} as const

export function newSource(
  input: Pick<Source, 'id' | 'name' | 'file' | 'origin'> &
    Partial<Pick<Source, 'marks'>> & { target?: Partial<Target>; kind?: Material['kind'] },
): Source {
  const { target, kind = 'unsure', ...rest } = input
  return {
    ...rest,
    target: { ...PLAIN_TARGET, ...target },
    hand: {},
    blind: [],
    follows: { tempo: false, key: false },
    variants: firstVariants(input.id, kind),
  }
}

/** The lanes that a source of a kind begins with. */
export const firstVariants = (sourceId: string, kind: Material['kind']): Variant[] =>
  firstLanes(kind).methodIds.map((methodId, n) => newVariant(`${sourceId}-${n + 1}`, LETTERS[n] as string, methodId))

/** Whether the lanes are still those of a source whose kind was not known: then its kind may choose them. */
export const hasUntouchedLanes = ({ id, variants }: Pick<Source, 'id' | 'variants'>): boolean =>
  JSON.stringify(variants) === JSON.stringify(firstVariants(id, 'unsure'))

export const LETTERS = 'ABCDEFGHIJKLMNOPQRSTUVWXYZ'

export function newVariant(id: string, letter: string, methodId: string): Variant {
  return { id, letter, methodId, settings: {}, seed: 1 }
}

/** The first letter that no variant here carries. */
export function freeLetter(variants: readonly Variant[]): string {
  return [...LETTERS].find((letter) => !variants.some((v) => v.letter === letter)) ?? 'Z'
}

/** A timeline on which nothing lies. */
export const NO_TIMELINE: Pick<Session, keyof typeof timelineShape | 'grooves' | 'picks' | 'takes'> = {
  grooves: [],
  picks: [],
  takes: [],
  tempoLine: [],
  beatsPerBar: 4,
  metre: [],
  rows: [],
  parts: [],
  sections: [],
  click: { gainDb: -6, inMix: false },
}

const row = (id: string, name: string, gainDb = 0) => ({ id, name, gainDb, muted: false, solo: false })

const part = (id: string, source: string, at: string, change: Partial<TimelinePart> & { startBeat: number }) => ({
  id,
  source,
  row: at,
  lock: 'bars' as const,
  offset: 0,
  feel: 1 as const,
  repeat: false,
  gainDb: 0,
  fadeIn: 0,
  fadeOut: 0,
  ...change,
})

/** The harmonium's chords, to be held in the lowest hall. */
const firstPicks: Session['picks'] = ['A minor', 'F major', 'C major', 'G major'].map((name, n) => ({
  id: `chord-${n + 1}`,
  name,
  source: 'harmonium',
  from: 3.2 * n + 0.4,
  to: 3.2 * n + 3,
  play: 'loop',
  attackMs: 40,
  releaseMs: 900,
  gainDb: -6,
  pan: 0,
  semitones: 0,
  reverse: false,
}))

/** The exhibit's two sections: Flood, a slowing of two bars, and Ebb. */
const firstTimeline: typeof NO_TIMELINE = {
  ...NO_TIMELINE,
  picks: firstPicks,
  tempoLine: [
    { beat: 0, bpm: 104, curve: 'step' },
    { beat: 32, bpm: 104, curve: 'linear' },
    { beat: 40, bpm: 84, curve: 'step' },
  ],
  sections: [
    { id: 'flood', name: 'Flood', bar: 1, bars: 8 },
    { id: 'ebb', name: 'Ebb', bar: 11, bars: 8 },
  ],
  rows: [
    row('winches', 'Winches', -8),
    row('chains', 'Chains and knocks', -10),
    row('capstan', 'Capstan', -11),
    row('harmonium', 'Harmonium', -12),
    row('calls', 'Calls', -10),
    row('bells', 'Bell', -14),
    row('weather', 'Weather', -18),
  ],
  parts: [
    part('flood-winch', 'rope-winch', 'winches', { startBeat: 0, beats: 40, repeat: true }),
    part('flood-chain', 'chain-rattle', 'chains', { startBeat: 8, beats: 24, repeat: true }),
    part('ebb-knocks', 'hull-knocks', 'chains', { startBeat: 40, beats: 24 }),
    part('flood-capstan', 'capstan', 'capstan', { startBeat: 16, beats: 24, repeat: true }),
    part('flood-chords', 'harmonium', 'harmonium', { startBeat: 0, lock: 'seconds', stretch: 1.3, fadeOut: 1 }),
    part('ebb-chords', 'harmonium', 'harmonium', {
      startBeat: 40,
      lock: 'seconds',
      stretch: 1.6,
      semitones: -5,
      fadeIn: 1.5,
      fadeOut: 2,
    }),
    part('flood-gull', 'gull', 'calls', { startBeat: 19, lock: 'seconds' }),
    part('ebb-horn', 'foghorn-tune', 'calls', { startBeat: 44 }),
    part('ebb-guide', 'guide-line', 'calls', { startBeat: 60, lock: 'seconds', stretch: 6 / 5.81 }),
    part('flood-bell', 'harbour-bell', 'bells', { startBeat: 0, lock: 'seconds' }),
    part('ebb-bell', 'harbour-bell', 'bells', { startBeat: 40, lock: 'seconds', semitones: -5 }),
    part('rain', 'rain-on-tin', 'weather', {
      startBeat: 0,
      beats: 72,
      lock: 'seconds',
      repeat: true,
      fadeIn: 2,
      fadeOut: 4,
    }),
  ],
}

export function firstSession(): Session {
  return {
    version: SESSION_VERSION,
    bpm: 96,
    ...firstTimeline,
    sources: [
      ...firstSources.map((demo) => newSource({ ...demo, origin: 'demo' })),
      newSource({ ...firstFilm, marks: firstFilm.marks.map((mark) => ({ ...mark })), origin: 'demo' }),
    ],
  }
}
