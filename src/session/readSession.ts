import { firstLanes, methods } from '../core'
import { checkedSettings, ownId } from './checks'
import { freeLetter, LETTERS, newVariant } from './create'
import { BROKEN, type Mended, mend } from './mend'
import { migrated, versionOf } from './migrations'
import { type Outlook, outlookSchema } from './outlook'
import { checkedPlay, checkedShaping } from './readPlay'
import { checkedTimeline, withRows } from './readTimeline'
import { SESSION_VERSION, type Session, type Source, sessionSchema, sourceSchema, type Variant } from './schema'

const FIRST = firstLanes('unsure').methodIds

/** What came of reading a session. */
export type SessionRead =
  | { readonly kind: 'read'; readonly session: Session; readonly mended: readonly Mended[] }
  /** written by a newer version; `session` is what of it can be shown, and must not be written back */
  | { readonly kind: 'newer'; readonly version: number; readonly session: Session; readonly mended: readonly Mended[] }
  | { readonly kind: 'unreadable'; readonly why: string }

/**
 * A session is read from storage, from a session file, or as it was written by hand. Nothing is thrown.
 * What does not hold is mended, source by source and field by field, and told of in `mended`.
 * Unknown fields are carried through.
 */
export function readSession(raw: unknown): SessionRead {
  if (typeof raw !== 'object' || raw === null || Array.isArray(raw))
    return { kind: 'unreadable', why: 'it is no session' }
  const found = raw as Record<string, unknown>
  const version = versionOf(found)
  const mended: Mended[] = []
  const newer = version !== undefined && version > SESSION_VERSION
  const { sources: given, ...others } = newer ? { ...found, version: SESSION_VERSION } : migrated(found)
  if (!Array.isArray(given)) return { kind: 'unreadable', why: 'it has no list of sources' }
  if (found.version !== undefined && version === undefined)
    mended.push({ path: 'version', was: found.version, now: SESSION_VERSION })
  const rest = withRows(others, given)
  const top = mend(
    sessionSchema,
    { ...rest, version: SESSION_VERSION, sources: [] },
    mended,
    sessionSchema.parse({ sources: [] }),
  )
  const ids = new Set<string>()
  const sources = given.flatMap((one, n): Source[] => {
    const path = `sources.${n}`
    const source = readSource(one, path, mended)
    if (!source) {
      mended.push({ path, was: one })
      return []
    }
    return [{ ...source, id: ownId(source.id, ids, `${path}.id`, mended) }]
  })
  const session = checkedPlay(checkedTimeline({ ...(top as Session), sources }, mended), mended)
  return newer ? { kind: 'newer', version, session, mended } : { kind: 'read', session, mended }
}

/** Read a session's outlook; all that does not hold is as it is on a first visit. */
export function readOutlook(raw: unknown, first: Outlook): { outlook: Outlook; mended: readonly Mended[] } {
  const mended: Mended[] = []
  const outlook = mend(outlookSchema, renamed(raw), mended, first)
  return { outlook: outlook === BROKEN ? first : outlook, mended: raw === undefined ? [] : mended }
}

/** Positions of the playhead were once called places, as those of harm are. */
function renamed(raw: unknown): unknown {
  if (typeof raw !== 'object' || raw === null || !('places' in raw) || 'positions' in raw) return raw
  const { places, ...rest } = raw
  return { ...rest, positions: places }
}

/**
 * What is written is checked like what is read: this is how it would be read again.
 * `mended` is empty, and the session the same, where nothing has to be told.
 */
export function checkedForWriting(session: Session): { session: Session; mended: readonly Mended[] } {
  const read = readSession(session)
  if (read.kind !== 'read') throw new TypeError(`checkedForWriting: ${JSON.stringify(read)}`)
  return read.mended.length > 0 ? read : { session, mended: [] }
}

function readSource(raw: unknown, path: string, mended: Mended[]): Source | undefined {
  if (typeof raw !== 'object' || raw === null || Array.isArray(raw)) return undefined
  const given = raw as Record<string, unknown>
  const { file } = given
  // without its file there is no source
  if (typeof file !== 'string' || file === '') return undefined
  const own: Mended[] = []
  const standIns = { id: file.slice(0, 1000), name: nameOf(file), variants: [] } as unknown as Source
  const source = mend(sourceSchema, withDefaults(given, file), own, standIns, path)
  if (source === BROKEN) return undefined
  mended.push(...own)
  return checkedShaping(checked(source, path, mended), path, mended)
}

const nameOf = (file: string) =>
  file
    .replace(/^.*[\\/]/, '')
    .replace(/\.[^.]+$/, '')
    .slice(0, 1000) || file.slice(0, 1000)

/** What a session written by hand may leave out, but for what has a default of its own. */
function withDefaults(given: Record<string, unknown>, file: string): Record<string, unknown> {
  const variants = Array.isArray(given.variants)
    ? given.variants.map((variant, n) =>
        typeof variant === 'object' && variant !== null
          ? {
              id: `${nameOf(file)} ${n + 1}`,
              letter: LETTERS[n] ?? 'Z',
              methodId: FIRST[0],
              ...(variant as object),
            }
          : variant,
      )
    : given.variants
  return {
    id: file.slice(0, 1000),
    name: nameOf(file),
    ...given,
    ...(variants === undefined ? { variants: firstVariants(file) } : { variants }),
  }
}

const firstVariants = (id: string) =>
  FIRST.map((methodId, n) => newVariant(`${nameOf(id)} ${n + 1}`, LETTERS[n] as string, methodId))

/** What a schema cannot say: known methods and settings, letters and ids that differ, ranges in the sound. */
function checked(source: Source, path: string, mended: Mended[]): Source {
  const ids = new Set<string>()
  const letters: Variant[] = []
  const variants = source.variants.slice(0, LETTERS.length).map((variant, n) => {
    const at = `${path}.variants.${n}`
    const taken = letters.some(({ letter }) => letter === variant.letter) || !LETTERS.includes(variant.letter)
    const letter = taken ? freeLetter([...letters, ...source.variants.slice(n + 1)]) : variant.letter
    if (taken) mended.push({ path: `${at}.letter`, was: variant.letter, now: letter })
    const own = {
      ...checkedVariant(variant, at, mended),
      id: ownId(variant.id, ids, `${at}.id`, mended),
      letter,
    }
    letters.push(own)
    return own
  })
  for (const [n, variant] of source.variants.slice(LETTERS.length).entries())
    mended.push({ path: `${path}.variants.${LETTERS.length + n}`, was: variant })
  const fileFrames = source.facts?.frames
  const range = within(source.range, fileFrames, `${path}.range`, mended)
  const partFrames = range ? range.end - range.start : fileFrames
  const selection = within(source.selection, partFrames, `${path}.selection`, mended)
  const { range: _, selection: __, ...rest } = source
  return { ...rest, variants, ...(range && { range }), ...(selection && { selection }) }
}

interface Range {
  readonly start: number
  readonly end: number
}

/** A range that runs forward and lies within so many frames; undefined for one that cannot. */
function within<R extends Range>(
  range: R | undefined,
  frames: number | undefined,
  path: string,
  mended: Mended[],
): R | undefined {
  if (!range) return undefined
  const most = frames ?? Number.POSITIVE_INFINITY
  const start = Math.max(0, Math.min(range.start, range.end))
  const end = Math.min(most, Math.max(range.start, range.end))
  if (start === range.start && end === range.end && start < end) return range
  if (!(start < end)) {
    mended.push({ path, was: range })
    return undefined
  }
  const now = { ...range, start, end }
  mended.push({ path, was: range, now })
  return now
}

/** A variant of a method that exists, with settings that it takes. */
function checkedVariant(variant: Variant, path: string, mended: Mended[]): Variant {
  let { methodId } = variant
  if (!methods.some(({ id }) => id === methodId)) {
    methodId = FIRST[0] as string
    mended.push({ path: `${path}.methodId`, was: variant.methodId, now: methodId })
  }
  const settings: Variant['settings'] = {}
  for (const [id, values] of Object.entries(variant.settings)) {
    const method = methods.find((one) => one.id === id)
    // a method of another version: nothing reads them here, and they are there again where they are known
    settings[id] = method ? checkedSettings(method.settings, values, `${path}.settings.${id}`, mended) : values
  }
  const { joins, ...rest } = variant
  const joined = joins && checkedJoins(joins, methodId, `${path}.joins`, mended)
  return { ...rest, methodId, settings, ...(joined && { joins: joined }) }
}

/** Joins that rise, by methods that can be joined. A joined lane with none left stays one. */
function checkedJoins(
  joins: NonNullable<Variant['joins']>,
  first: string,
  path: string,
  mended: Mended[],
): NonNullable<Variant['joins']> {
  const joinable = (methodId: string) =>
    methods.find(({ id, tiesPitchToSpeed }) => id === methodId && !tiesPitchToSpeed)
  let last = Number.NEGATIVE_INFINITY
  return joins.flatMap((join, n) => {
    const method = joinable(join.methodId)
    if (!method || !joinable(first) || !(join.source > last)) {
      mended.push({ path: `${path}.${n}`, was: join })
      return []
    }
    last = join.source
    return [{ ...join, settings: checkedSettings(method.settings, join.settings, `${path}.${n}.settings`, mended) }]
  })
}
