import type { Source } from './schema'

/**
 * Sources that were recorded together are timed as one, by the attacks of the one that leads. Each of them names all,
 * in one order; what is meant to happen to their time is the same.
 */

type Sources = readonly Source[]

/** All that are named as recorded together, by each of them, in their order; itself alone where there are no others. */
export function namedKin(sources: Sources, source: Source): readonly Source[] {
  const { kin } = source
  if (!kin) return [source]
  const named = kin.flatMap((id) => sources.find((one) => one.id === id && sameIds(one.kin, kin)) ?? [])
  return named.length > 1 && named.some(({ id }) => id === source.id) ? named : [source]
}

const sameIds = (a: readonly string[] | undefined, b: readonly string[]) =>
  a !== undefined && a.length === b.length && a.every((id, n) => id === b[n])

/** All that are timed as one with it: those that are named, if they have one length. */
export function kinOf(sources: Sources, source: Source): readonly Source[] {
  const named = namedKin(sources, source)
  return named.length === 1 || isOneLength(named) ? named : [source]
}

/** The source by whose attacks and beats one is timed: itself, unless it is one of kin that another one leads. */
export const leadOf = (sources: Sources, source: Source): Source => kinOf(sources, source)[0] ?? source

/** Sounds of one length and rate may have been recorded together. */
export const isOneLength = (sources: Sources): boolean => {
  const [first] = sources
  return (
    sources.length > 1 &&
    sources.every(
      ({ facts }) =>
        facts !== undefined && facts.frames === first?.facts?.frames && facts.sampleRate === first.facts.sampleRate,
    )
  )
}

const TIMES = ['bpm', 'firstBeat', 'beatsPerBar', 'beats', 'attacks'] as const

/** Have a source meant as another one is, in all that concerns time. */
export function timeAs(source: Source, { target, timing, range, selection, follows, hand }: Source) {
  source.target = target
  source.follows = follows
  const whole: Partial<Source> = source
  delete whole.timing
  delete whole.range
  delete whole.selection
  Object.assign(source, timing && { timing }, range && { range }, selection && { selection })
  const own = Object.fromEntries(Object.entries(source.hand).filter(([name]) => !TIMES.some((time) => time === name)))
  for (const name of TIMES) if (hand[name] !== undefined) own[name] = hand[name]
  source.hand = own
}

/** Whether two are meant alike in all that concerns time. */
export const isTimedAs = (a: Source, b: Source): boolean =>
  a.target === b.target &&
  a.timing === b.timing &&
  a.range === b.range &&
  a.selection === b.selection &&
  a.follows === b.follows &&
  TIMES.every((name) => a.hand[name] === b.hand[name])
