import type { z } from 'zod'

/** Something that did not hold, and what stands in its place. `now` is missing where it was left out. */
export interface Mended {
  /** where it lay: names and numbers, joined by dots */
  readonly path: string
  readonly was: unknown
  readonly now?: unknown
}

/** What cannot be mended: whoever asked has to do without it. */
export const BROKEN = Symbol('broken')

type Schema = z.core.$ZodType
type Plain = Record<string, unknown>

const isPlain = (value: unknown): value is Plain =>
  typeof value === 'object' && value !== null && !Array.isArray(value) && !ArrayBuffer.isView(value)

/** names that would reach behind an object */
const FORBIDDEN = ['__proto__', 'constructor', 'prototype']

/**
 * A value is read field by field, as a schema wants it. What holds is taken as it is. What does not is brought into its
 * range, or replaced by its default. What has no default is given up. Unknown fields are carried through.
 * The result passes the schema's own check.
 * @param fallback  stands in for what is missing or broken.
 * @param mended    gets a line for every change. A missing field that has a default is no change.
 * @returns BROKEN where there is neither value, default nor fallback.
 */
export function mend<S extends Schema>(
  schema: S,
  raw: unknown,
  mended: Mended[],
  fallback?: z.output<S>,
  path = '',
): z.output<S> | typeof BROKEN {
  const value = read(schema, raw, fallback, path, mended)
  return value as z.output<S> | typeof BROKEN
}

/** What of a schema's definition is looked at here. */
interface Definition {
  readonly type: string
  readonly shape?: Readonly<Record<string, Schema>>
  readonly element?: Schema
  readonly keyType?: Schema
  readonly valueType?: Schema
  readonly innerType?: Schema
  readonly defaultValue?: unknown
}

const definitionOf = (schema: Schema) => schema._zod.def as unknown as Definition

function read(schema: Schema, raw: unknown, fallback: unknown, path: string, mended: Mended[]): unknown {
  const def = definitionOf(schema)
  const instead = (value: unknown) => {
    mended.push(value === BROKEN ? { path, was: raw } : { path, was: raw, now: value })
    return value
  }
  if (def.type === 'optional') {
    if (raw === undefined) return undefined
    const own: Mended[] = []
    const value = read(def.innerType as Schema, raw, fallback, path, own)
    if (value !== BROKEN) {
      mended.push(...own)
      return value
    }
    mended.push({ path, was: raw })
    return undefined
  }
  if (def.type === 'default') {
    const stand = fallback ?? def.defaultValue
    if (raw === undefined) return structuredClone(stand)
    const own: Mended[] = []
    const value = read(def.innerType as Schema, raw, stand, path, own)
    if (value === BROKEN) return instead(structuredClone(stand))
    mended.push(...own)
    return value
  }
  if (def.type === 'object') return readObject(def, raw, fallback, path, mended, instead)
  if (def.type === 'array') {
    if (!Array.isArray(raw)) return fallback !== undefined ? instead(fallback) : BROKEN
    return raw.flatMap((item, n) => {
      const at = join(path, n)
      const own: Mended[] = []
      const value = read(def.element as Schema, item, undefined, at, own)
      if (value === BROKEN) {
        mended.push({ path: at, was: item })
        return []
      }
      mended.push(...own)
      return [value]
    })
  }
  if (def.type === 'record') {
    if (!isPlain(raw)) return fallback !== undefined ? instead(fallback) : BROKEN
    const out: Plain = {}
    for (const [name, item] of Object.entries(raw)) {
      const at = join(path, name)
      const own: Mended[] = []
      const value = FORBIDDEN.includes(name) ? BROKEN : read(def.valueType as Schema, item, undefined, at, own)
      if (value === BROKEN) mended.push({ path: at, was: item })
      else {
        mended.push(...own)
        out[name] = value
      }
    }
    return out
  }
  const checked = (schema as unknown as z.ZodType).safeParse(raw)
  if (checked.success) return checked.data
  const near = nearest(schema, raw)
  if (near !== undefined) return instead(near)
  return fallback !== undefined ? instead(fallback) : BROKEN
}

function readObject(
  def: Definition,
  raw: unknown,
  fallback: unknown,
  path: string,
  mended: Mended[],
  instead: (value: unknown) => unknown,
): unknown {
  if (!isPlain(raw)) {
    // an object all of whose fields have defaults can be made of nothing
    if (fallback !== undefined)
      return raw === undefined ? structuredClone(fallback) : instead(structuredClone(fallback))
    return BROKEN
  }
  const shape = def.shape ?? {}
  const out: Plain = {}
  for (const [name, value] of Object.entries(raw)) {
    if (!Object.hasOwn(shape, name) && !FORBIDDEN.includes(name)) out[name] = value
  }
  for (const [name, field] of Object.entries(shape)) {
    const given = Object.hasOwn(raw, name) ? raw[name] : undefined
    const stand = isPlain(fallback) ? fallback[name] : undefined
    const own: Mended[] = []
    const value = read(field, given, stand, join(path, name), own)
    if (value === BROKEN) return BROKEN
    mended.push(...own)
    if (value !== undefined) out[name] = value
  }
  return out
}

/** The nearest value that holds: a number within its range, whole where need be; a text cut to its length. */
function nearest(schema: Schema, raw: unknown): unknown {
  const { type } = definitionOf(schema)
  let near: unknown
  if (type === 'number' && typeof raw === 'number' && Number.isFinite(raw)) {
    const { minValue, maxValue, isInt } = schema as unknown as z.ZodNumber
    const limited = Math.max(minValue ?? Number.NEGATIVE_INFINITY, Math.min(maxValue ?? Number.POSITIVE_INFINITY, raw))
    near = isInt ? Math.round(limited) : limited
  } else if (type === 'string' && typeof raw === 'string') {
    const { maxLength } = schema as unknown as z.ZodString
    near = maxLength === null ? raw : raw.slice(0, maxLength)
  }
  return near !== undefined && (schema as unknown as z.ZodType).safeParse(near).success ? near : undefined
}

const join = (path: string, name: string | number) => (path === '' ? String(name) : `${path}.${name}`)
