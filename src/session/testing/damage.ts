/** Ways in which plain data can be broken, for tests: each makes one thing of it wrong. */

export interface Damage {
  /** what was done, where */
  readonly name: string
  readonly value: unknown
}

const isPlain = (value: unknown): value is Record<string, unknown> =>
  typeof value === 'object' && value !== null && !Array.isArray(value)

type Path = readonly (string | number)[]

/** Every place in plain data, from the outside in. */
export function pathsOf(value: unknown, path: Path = []): Path[] {
  const inner = Array.isArray(value)
    ? value.flatMap((item, n) => pathsOf(item, [...path, n]))
    : isPlain(value)
      ? Object.entries(value).flatMap(([name, item]) => pathsOf(item, [...path, name]))
      : []
  return [path, ...inner]
}

export function valueAt(value: unknown, path: Path): unknown {
  return path.reduce<unknown>((at, name) => (at as Record<string | number, unknown> | undefined)?.[name], value)
}

/** A copy with something else in one place; `undefined` leaves the place out. */
export function withValue(value: unknown, path: Path, put: unknown): unknown {
  const [name, ...rest] = path
  if (name === undefined) return put
  const copy: Record<string | number, unknown> = Array.isArray(value)
    ? ([...value] as unknown as Record<number, unknown>)
    : { ...(value as object) }
  const inner = withValue(copy[name], rest, put)
  if (inner === undefined && !Array.isArray(copy)) delete copy[name]
  else copy[name] = inner
  return copy
}

/** What is put in place of something: things that storage can hold. */
const WRONG: readonly unknown[] = [
  undefined,
  null,
  Number.NaN,
  Number.POSITIVE_INFINITY,
  Number.NEGATIVE_INFINITY,
  -1,
  0,
  0.5,
  1e308,
  -1e9,
  22_254.5454,
  '',
  'tide',
  '\u0000',
  'x'.repeat(5000),
  '__proto__',
  true,
  false,
  [],
  [null],
  [[[]]],
  {},
  { length: 3 },
  { 'tide clock': { of: 'another version' } },
  new Date(0),
  new Map([['a', 1]]),
  new Uint8Array(4),
  10n,
]

/** Every wrong value at every place of plain data, or `few` of these damages, spread over all. */
export function damagesOf(value: unknown, few?: number): Damage[] {
  const paths = pathsOf(value)
  const total = paths.length * WRONG.length
  const count = Math.min(total, few ?? total)
  return Array.from({ length: count }, (_, i) => {
    // a step that shares no divisor with the total comes by every place and every value
    const n = few === undefined ? i : Math.floor(((i + 0.5) * total) / count)
    const path = paths[n % paths.length] as Path
    const wrong = WRONG[Math.floor(n / paths.length) % WRONG.length]
    return { name: `${path.join('.') || 'all of it'} := ${tell(wrong)}`, value: withValue(value, path, wrong) }
  })
}

function tell(value: unknown): string {
  if (typeof value === 'bigint') return `${value}n`
  if (typeof value === 'string' && value.length > 20) return `${value.length} characters`
  return typeof value === 'number' || value === undefined ? String(value) : (JSON.stringify(value) ?? String(value))
}
