import {
  type Arrangement,
  type MixPart,
  methodById,
  type OwnBeats,
  openMetre,
  RATE_RANGE,
  type Recipe,
  STEADY_PERCENT,
  type TempoLine,
  tempoBetween,
} from '../core'
import { beatsOf, type FoundTempo, tempoOf } from './known'
import { partFacts, recipeOf } from './recipe'
import type { Session, Source, Variant } from './schema'
import type { Section, TimelinePart } from './timelineSchema'

/** What a session's timeline comes to: the arrangement that the core lays and sums. */

/** The metre of a session, its bars counted from 0. */
export const metreOf = ({ beatsPerBar, metre }: Pick<Session, 'beatsPerBar' | 'metre'>) => [
  { bar: 0, beatsPerBar },
  ...metre.map((change) => ({ ...change, bar: change.bar - 1 })).filter(({ bar }) => bar > 0),
]

/** The tempo line as it is meant: where a section sets its own tempo, that holds in its bars. */
export function tempoLineOf(
  session: Pick<Session, 'tempoLine' | 'bpm' | 'sections' | 'beatsPerBar' | 'metre'>,
): TempoLine {
  const { tempoLine, bpm, sections } = session
  let line: TempoLine = tempoLine.length > 0 ? tempoLine : [{ beat: 0, bpm }]
  for (const section of sections) {
    if (section.bpm === undefined) continue
    const { from, to } = beatsOfSection(session, section)
    line = tempoBetween(line, { from, to }, section.bpm)
  }
  return line
}

/** Where a section lies, beats of the timeline, the end exclusive. */
export function beatsOfSection(
  session: Pick<Session, 'beatsPerBar' | 'metre'>,
  { bar, bars }: Pick<Section, 'bar' | 'bars'>,
): { readonly from: number; readonly to: number } {
  const { beatOfBar } = openMetre(metreOf(session))
  return { from: beatOfBar(bar - 1), to: beatOfBar(bar - 1 + bars) }
}

/** The beats of a source, seconds of its part; undefined where its tempo is not known. */
export function ownBeatsOf(source: Source, found: FoundTempo): OwnBeats | undefined {
  const facts = partFacts(source)
  if (!facts) return undefined
  const rate = facts.sampleRate
  const offset = (source.range?.start ?? 0) / rate
  const { hand } = source
  if (hand.bpm !== undefined && !hand.beats) {
    const first = hand.firstBeat ?? found?.tempo.beats[found.tempo.firstBar] ?? 0
    // of a part that begins later, the first beat that lies in it
    const beat = 60 / hand.bpm
    const late = Math.max(0, Math.ceil((offset - first) / beat - 1e-6))
    return { bpm: hand.bpm, firstBeat: first + late * beat - offset }
  }
  const { bpm } = tempoOf(source, found)
  const { frames, bars } = beatsOf(source, found)
  if (bpm === undefined || frames.length < 2) return undefined
  // what is steady is a straight grid: it does not take over what little its beats were found off it
  const isSteady =
    !hand.beats && (hand.firstBeat !== undefined || (found?.tempo.drift.percent ?? 100) <= STEADY_PERCENT)
  const first = Math.max(0, bars.indexOf(true))
  if (isSteady) return { bpm, firstBeat: (frames[first] as number) / rate }
  return { seconds: frames.slice(first).map((frame) => frame / rate) }
}

/** The variant of its source that a part sounds in; undefined where it has a method of its own. */
export const variantOf = (source: Source, part: TimelinePart): Variant | undefined =>
  part.method !== undefined
    ? undefined
    : (source.variants.find(({ id, letter }) => id === part.variant || letter === part.variant) ?? source.variants[0])

/** The recipe of a part: of its variant, or its own method. Its source's target holds but for what it says itself. */
export function partRecipe(source: Source, part: TimelinePart): Recipe {
  const target = {
    ...source.target,
    ...(part.semitones !== undefined && { pitchSemitones: part.semitones, tied: false }),
    ...(part.formants !== undefined && { formants: part.formants }),
    ...(part.formantSemitones !== undefined && { formantSemitones: part.formantSemitones }),
    ...(part.stretch !== undefined && { stretch: part.stretch }),
  }
  const variant = variantOf(source, part)
  const methodId = part.method ?? variant?.methodId ?? FALLBACK
  const settings = part.method === undefined ? (variant?.settings ?? {}) : { [methodId]: part.settings ?? {} }
  return recipeOf(
    { ...source, target },
    {
      id: part.id,
      letter: 'A',
      methodId: methodById(methodId).id,
      settings,
      seed: variant?.seed ?? 1,
      ...(part.method === undefined && variant?.joins && { joins: variant.joins }),
    },
  )
}

const FALLBACK = 'wsola'

/** A session's timeline, for the core. Parts of sources without facts are left out: nobody knows how long they are. */
export function arrangementOf(session: Session, foundOf: (source: Source) => FoundTempo): Arrangement {
  const own = new Map<string, OwnBeats | undefined>()
  const parts = session.parts.flatMap((part): MixPart[] => {
    const source = session.sources.find(({ id }) => id === part.source)
    const row = session.rows.findIndex(({ id }) => id === part.row)
    if (!source || row < 0) return []
    if (!own.has(source.id)) own.set(source.id, ownBeatsOf(source, foundOf(source)))
    return [
      {
        id: part.id,
        row,
        source: source.id,
        recipe: partRecipe(source, part),
        lock: part.lock,
        startBeat: part.startBeat,
        beats: part.beats,
        offset: part.offset,
        feel: part.feel,
        repeat: part.repeat,
        gainDb: part.gainDb,
        fadeIn: part.fadeIn,
        fadeOut: part.fadeOut,
        own: own.get(source.id),
      },
    ]
  })
  return { tempoLine: tempoLineOf(session), metre: metreOf(session), rows: session.rows, parts }
}

/** The rate of a mix whose sounds have several: the one that most of them have, the highest of those. */
export function mixRate(rates: readonly number[]): number {
  const counts = new Map<number, number>()
  for (const own of rates) counts.set(Math.round(own), (counts.get(Math.round(own)) ?? 0) + 1)
  const [best] = [...counts].sort(([a, n], [b, m]) => m - n || b - a)
  return Math.min(RATE_RANGE.max, Math.max(RATE_RANGE.min, best?.[0] ?? 48_000))
}
