import type { Mended } from './mend'

/** An entry of a timeline that does not hold, and why, in words. */
export interface Fault {
  readonly entry: string
  readonly why: string
}

const LISTS: Readonly<Record<string, string>> = {
  tempoLine: 'tempo line event',
  metre: 'metre change',
  rows: 'row',
  parts: 'part',
  sections: 'section',
  sources: 'source',
}
const SINGLE = ['beatsPerBar', 'click', 'bpm', 'version']

/**
 * The first thing that keeps a session from being mixed as it was meant: whatever had to be mended on its timeline,
 * or in what its sources are told apart and timed by.
 * @param raw  the session as it lay there.
 */
export function faultOf(raw: unknown, mended: readonly Mended[]): Fault | undefined {
  const found = mended.find(({ path }) => isOfTimeline(path.split('.')) && !isMadeId(raw, path.split('.')))
  if (!found) return undefined
  const [top = '', n, ...rest] = found.path.split('.')
  const list = LISTS[top]
  if (!list || n === undefined) return { entry: top, why: whyOf(found, []) }
  const entry = (raw as Record<string, unknown[]>)[top]?.[Number(n)]
  const { id, name, file } = (typeof entry === 'object' && entry !== null ? entry : {}) as Record<string, unknown>
  const called = [id, name, file].find((text) => typeof text === 'string')
  return {
    entry: `${list} ${Number(n) + 1}${called === undefined ? '' : ` (${String(called).slice(0, 60)})`}`,
    why: whyOf(found, rest),
  }
}

function isOfTimeline([top = '', , ...rest]: readonly string[]): boolean {
  if (SINGLE.includes(top)) return true
  if (top === 'sources') return rest.length === 0 || ['id', 'file', 'hand', 'range'].includes(rest[0] as string)
  return top in LISTS
}

/** Whether it is about an id that nobody said: it was made, and may be made otherwise. */
function isMadeId(raw: unknown, [top = '', n, field]: readonly string[]): boolean {
  const entry = (raw as Record<string, Record<string, unknown>[]>)[top]?.[Number(n)]
  return field === 'id' && entry?.id === undefined
}

function whyOf({ was, now, path }: Mended, field: readonly string[]): string {
  const name = field.join('.')
  if (name === 'id') return `there is another one with the id ${told(was)}`
  if (name === 'source') return `there is no source ${told(was)}`
  if (name === 'variant') return `its source has no variant ${told(was)}`
  if (name === 'method') return `there is no method ${told(was)}`
  if (name === 'startBeat' && typeof was === 'number' && was < 0) return `it begins at beat ${was}, before 0`
  if (name === '' && !path.startsWith('sources') && typeof was === 'object' && was !== null)
    return missingIn(path, was as Record<string, unknown>)
  const what = name === '' ? 'it' : name
  return now === undefined
    ? `${what} cannot be ${told(was)}`
    : `${what} is ${told(was)}; the nearest that holds is ${told(now)}`
}

/** What a list entry needs that this one has not, or not so. */
function missingIn(path: string, was: Record<string, unknown>): string {
  const needs: Readonly<Record<string, readonly string[]>> = {
    parts: ['source', 'startBeat'],
    tempoLine: ['beat', 'bpm'],
    metre: ['bar', 'beatsPerBar'],
    sections: ['name', 'bar', 'bars'],
    rows: ['id', 'name'],
  }
  const [top = ''] = path.split('.')
  const lacks = (needs[top] ?? []).filter((field) => was[field] === undefined)
  if (lacks.length > 0) return `it has no ${lacks.join(' and no ')}`
  if (top === 'tempoLine' || top === 'metre') return 'it does not lie behind the one before'
  return `it cannot be read: ${JSON.stringify(was).slice(0, 120)}`
}

const told = (value: unknown) => {
  const text = JSON.stringify(value) ?? 'nothing'
  return text.length > 60 ? `${text.slice(0, 60)}…` : text
}
