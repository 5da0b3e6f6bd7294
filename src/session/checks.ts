import { checkSetting, type methods } from '../core'
import type { Mended } from './mend'
import type { Variant } from './schema'

/** Checks that sources and parts share: what a schema cannot say. */

/** The id itself, or one like it that nobody has; ids are told apart by it. */
export function ownId(id: string, taken: Set<string>, path: string, mended: Mended[]): string {
  let own = id
  for (let n = 2; taken.has(own); n++) own = `${id} ${n}`
  if (own !== id) mended.push({ path, was: id, now: own })
  taken.add(own)
  return own
}

/** Settings that a method takes, within what it takes. */
export function checkedSettings(
  schema: (typeof methods)[number]['settings'],
  values: Variant['settings'][string],
  path: string,
  mended: Mended[],
) {
  const out: Variant['settings'][string] = {}
  for (const [name, value] of Object.entries(values)) {
    const setting = Object.hasOwn(schema, name) ? schema[name] : undefined
    if (setting?.type === 'number' && typeof value === 'number') {
      out[name] = Math.max(setting.min, Math.min(setting.max, value))
      if (out[name] !== value) mended.push({ path: `${path}.${name}`, was: value, now: out[name] })
      continue
    }
    try {
      if (!setting) throw new RangeError('no such setting')
      out[name] = checkSetting(name, setting, value)
    } catch {
      mended.push({ path: `${path}.${name}`, was: value })
    }
  }
  return out
}
