import type { Mended } from './mend'

const MOST_TOLD = 3

/** What was mended, in words for people: the first few, and how many more. */
export function mendedText(mended: readonly Mended[], nameOf: (source: number) => string | undefined): string {
  const told = mended.slice(0, MOST_TOLD).map((one) => {
    const [top, n, ...rest] = one.path.split('.')
    const name = top === 'sources' && n !== undefined ? (nameOf(Number(n)) ?? `source ${Number(n) + 1}`) : undefined
    const what = name === undefined ? one.path : rest.length > 0 ? `${name}: ${rest.join(' ')}` : name
    return 'now' in one ? `${what} was ${short(one.was)}, is ${short(one.now)}` : `${what} (${short(one.was)}) left out`
  })
  const more = mended.length - told.length
  return `${told.join('; ')}${more > 0 ? `; and ${more} more` : ''}`
}

function short(value: unknown): string {
  if (typeof value === 'string') return `“${value.length > 24 ? `${value.slice(0, 24)}…` : value}”`
  if (typeof value === 'object' && value !== null) {
    const { start, end, name } = value as { start?: unknown; end?: unknown; name?: unknown }
    if (typeof start === 'number' && typeof end === 'number') return `${start} to ${end}`
    return typeof name === 'string' ? short(name) : 'something else'
  }
  return typeof value === 'number' ? String(Number(value.toPrecision(6))) : String(value)
}
