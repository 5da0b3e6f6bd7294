import { firstLanes, type Material } from '../core'
import { PLAIN_TARGET, SESSION_VERSION, type Session, type Source, type Target, type Variant } from './schema'
import type { timelineShape } from './timelineSchema'

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

export function newSource(
  input: Pick<Source, 'id' | 'name' | 'file' | 'origin'> & { target?: Partial<Target>; kind?: Material['kind'] },
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
export const NO_TIMELINE: Pick<Session, keyof typeof timelineShape> = {
  tempoLine: [],
  beatsPerBar: 4,
  metre: [],
  rows: [],
  parts: [],
  sections: [],
  click: { gainDb: -6, inMix: false },
}

export function firstSession(): Session {
  return {
    version: SESSION_VERSION,
    bpm: 96,
    ...NO_TIMELINE,
    sources: firstSources.map((demo) => newSource({ ...demo, origin: 'demo' })),
  }
}
