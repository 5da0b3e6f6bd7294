import type { Source } from './schema'

/**
 * A key tells content apart: the bytes of a file, which part of them, the attacks as corrected, and what else matters.
 * Equal content has equal keys. Neither its source nor the order of its fields plays a part.
 */

type Of = Pick<Source, 'id' | 'hash' | 'facts' | 'range' | 'hand'>

/** Files are told apart by their bytes; until they have been read, by their source. */
const bytesOf = ({ hash, facts, id }: Of) => hash ?? facts?.hash ?? id

/** Of one part of a file alone: what is found out about it before anybody corrects it. */
export const partKey = (source: Of) => digest([bytesOf(source), source.range])

/** Of a part with its attacks as corrected, and of what else goes into it: a recipe, a version, a length. */
export const contentKey = (source: Of, ...about: readonly unknown[]) =>
  digest([bytesOf(source), source.range, source.hand.attacks, about])

/**
 * lists of so many entries are told apart by a digest of their own, which is kept: they are asked for again and again
 */
const LONG_LIST = 256
const longLists = new WeakMap<readonly unknown[], string>()

function digestOfList(list: readonly unknown[]): string {
  const known = longLists.get(list) ?? digestOf(`[${list.map(canonical).join()}]`)
  longLists.set(list, known)
  return known
}

/** Plain data as text, the same for the same data. */
function canonical(value: unknown): string {
  if (Array.isArray(value) && value.length >= LONG_LIST) return `#${digestOfList(value)}`
  if (Array.isArray(value)) return `[${value.map(canonical).join()}]`
  if (typeof value !== 'object' || value === null) return JSON.stringify(value) ?? 'null'
  const fields = Object.entries(value)
    .filter(([, field]) => field !== undefined)
    .sort(([a], [b]) => (a < b ? -1 : 1))
  return `{${fields.map(([name, field]) => `${JSON.stringify(name)}:${canonical(field)}`).join()}}`
}

/** 128 bits of a text, in four words that mix. Good against accidents; nobody attacks a store of figures. */
const digest = (value: unknown): string => digestOf(canonical(value))

function digestOf(text: string): string {
  let a = 0x811c9dc5
  let b = 0x9e3779b9
  let c = 0x85ebca6b
  let d = 0xc2b2ae35
  for (let i = 0; i < text.length; i++) {
    const code = text.charCodeAt(i)
    a = Math.imul(a ^ code, 0x01000193)
    b = Math.imul(b ^ code ^ (a >>> 15), 0x85ebca77)
    c = Math.imul(c ^ code ^ (b >>> 13), 0xc2b2ae3d)
    d = Math.imul(d ^ code ^ (c >>> 16), 0x27d4eb2f)
  }
  return [a, b, c, d].map((word) => (word >>> 0).toString(16).padStart(8, '0')).join('')
}
