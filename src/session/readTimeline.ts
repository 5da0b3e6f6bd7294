import { methods, type TempoEvent } from '../core'
import { checkedSettings, ownId } from './checks'
import type { Mended } from './mend'
import type { Session, Source } from './schema'
import type { TimelinePart } from './timelineSchema'

type Plain = Record<string, unknown>

const isPlain = (value: unknown): value is Plain => typeof value === 'object' && value !== null && !Array.isArray(value)

/**
 * What a timeline that was written by hand may leave out: ids, and rows.
 * Parts without a row share one with the other parts of their source. A row that nobody made is made.
 */
export function withRows(session: Plain, sources: readonly unknown[]): Plain {
  const { parts, sections } = session
  const rows = Array.isArray(session.rows)
    ? session.rows.map((row) => (isPlain(row) ? { id: row.name, ...row } : row))
    : session.rows
  const own = {
    ...session,
    ...(rows !== undefined && { rows }),
    ...(Array.isArray(sections) && { sections: withIds(sections, 'section') }),
  }
  if (!Array.isArray(parts) || !(rows === undefined || Array.isArray(rows))) return own
  const there: readonly unknown[] = rows ?? []
  const made = new Map(there.flatMap((row) => (isPlain(row) ? [[row.id, row]] : [])))
  const nameOf = (id: unknown) => {
    const source = sources.find((one) => isPlain(one) && (one.id ?? one.file) === id)
    return isPlain(source) && typeof source.name === 'string' ? source.name : String(id)
  }
  const laid = withIds(parts, 'part').map((part) => {
    if (!isPlain(part)) return part
    const row = part.row === undefined ? part.source : part.row
    if (typeof row === 'string' && row !== '' && !made.has(row))
      made.set(row, { id: row, name: part.row === undefined ? nameOf(row) : row })
    return { ...part, row }
  })
  const others = [...made.values()].filter((row) => !there.includes(row))
  return { ...own, parts: laid, ...(made.size > 0 && { rows: [...there, ...others] }) }
}

const withIds = (list: readonly unknown[], called: string): unknown[] =>
  list.map((one, n) => (isPlain(one) ? { id: `${called} ${n + 1}`, ...one } : one))

/** What a schema cannot say of a timeline: its parts have sources, its ids differ, its tempo line rises. */
export function checkedTimeline(session: Session, mended: Mended[]): Session {
  const partIds = new Set<string>()
  const parts = session.parts.flatMap((part, n) => {
    const path = `parts.${n}`
    const source = session.sources.find(({ id }) => id === part.source)
    const row = session.rows.some(({ id }) => id === part.row)
    if (!source || !row) {
      mended.push({ path: `${path}.${source ? 'row' : 'source'}`, was: source ? part.row : part.source })
      return []
    }
    return [{ ...checkedPart(part, source, path, mended), id: ownId(part.id, partIds, `${path}.id`, mended) }]
  })
  const rows = unique(session.rows, 'rows', mended)
  const sections = unique(session.sections, 'sections', mended)
  const metre = rising(session.metre, ({ bar }) => bar, 'metre', mended)
  const tempoLine = rising(session.tempoLine, ({ beat }: TempoEvent) => beat, 'tempoLine', mended)
  return { ...session, parts, rows, sections, metre, tempoLine }
}

function unique<One extends { readonly id: string }>(list: readonly One[], path: string, mended: Mended[]): One[] {
  const ids = new Set<string>()
  return list.map((one, n) => ({ ...one, id: ownId(one.id, ids, `${path}.${n}.id`, mended) }))
}

/** The list in order; of several that lie at one place, the last one. */
function rising<One>(list: readonly One[], placeOf: (one: One) => number, path: string, mended: Mended[]): One[] {
  const wrong = list.findIndex((one, n) => n > 0 && !(placeOf(one) > placeOf(list[n - 1] as One)))
  if (wrong < 0) return [...list]
  mended.push({ path: `${path}.${wrong}`, was: list[wrong] })
  const byPlace = new Map(list.map((one) => [placeOf(one), one]))
  return [...byPlace.values()].sort((a, b) => placeOf(a) - placeOf(b))
}

function checkedPart(part: TimelinePart, source: Source, path: string, mended: Mended[]): TimelinePart {
  const { variant, method, settings, ...rest } = part
  const isThere = source.variants.some(({ id, letter }) => id === variant || letter === variant)
  if (variant !== undefined && !isThere) mended.push({ path: `${path}.variant`, was: variant })
  const own = methods.find(({ id }) => id === method)
  if (method !== undefined && !own) mended.push({ path: `${path}.method`, was: method })
  return {
    ...rest,
    ...(variant !== undefined && isThere && { variant }),
    ...(own && { method: own.id }),
    ...(own && settings && { settings: checkedSettings(own.settings, settings, `${path}.settings`, mended) }),
  }
}
