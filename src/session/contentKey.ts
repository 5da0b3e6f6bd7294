import type { Source } from './schema'

/**
 * A key tells content apart: the bytes of a file, which part of them, the attacks as corrected, and what else matters.
 * Equal content has equal keys. Neither its source nor the order of its fields plays a part.
 */

type Of = Pick<Source, 'id' | 'hash' | 'facts' | 'range' | 'hand' | 'kin'>

/** Files are told apart by their bytes; until they have been read, by their source. */
const bytesOf = ({ hash, facts, id }: Of) => hash ?? facts?.hash ?? id

/** Of one part of a file alone: what is found out about it before anybody corrects it. */
export const partKey = (source: Of) => digest([bytesOf(source), source.range])

/** Of a part with its attacks as corrected, and of what else goes into it: a recipe, a version, a length. */
export const contentKey = (source: Of, ...about: readonly unknown[]) =>
  digest([bytesOf(source), source.range, source.hand.attacks, about, ...(source.kin ? [source.kin] : [])])

/**
 * lists of so many entries are told apart by a digest of their own, which is kept: they are asked for again and again
 */
const LONG_LIST = 256
const longLists = new WeakMap<readonly unknown[], string>()

function digestOfList(list: readonly unknown[]): string {
  const known = longLists.get(list) ?? digestOfValues(list)
  longLists.set(list, known)
  return known
}

const double = new Float64Array(1)
const halves = new Uint32Array(double.buffer)

/** Of plain data without making a text of it: numbers by their bits, fields by name, each value with its kind. */
function digestOfValues(list: readonly unknown[]): string {
  const words = startWords()
  const add = (value: unknown) => {
    if (typeof value === 'number') {
      double[0] = value
      mix(words, 1)
      mix(words, halves[0] as number)
      mix(words, halves[1] as number)
    } else if (Array.isArray(value)) {
      mix(words, 2)
      mix(words, value.length)
      for (const one of value) add(one)
    } else if (typeof value === 'object' && value !== null) {
      const names = Object.keys(value)
        .filter((name) => (value as Record<string, unknown>)[name] !== undefined)
        .sort()
      mix(words, 3)
      mix(words, names.length)
      for (const name of names) {
        addText(words, name)
        add((value as Record<string, unknown>)[name])
      }
    } else {
      mix(words, 4)
      addText(words, JSON.stringify(value) ?? 'null')
    }
  }
  add(list)
  return textOf(words)
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
  const words = startWords()
  addText(words, text)
  return textOf(words)
}

const startWords = () => Uint32Array.of(0x811c9dc5, 0x9e3779b9, 0x85ebca6b, 0xc2b2ae35)

function addText(words: Uint32Array, text: string) {
  for (let i = 0; i < text.length; i++) mix(words, text.charCodeAt(i))
}

function mix(words: Uint32Array, code: number) {
  const a = Math.imul((words[0] as number) ^ code, 0x01000193)
  const b = Math.imul((words[1] as number) ^ code ^ (a >>> 15), 0x85ebca77)
  const c = Math.imul((words[2] as number) ^ code ^ (b >>> 13), 0xc2b2ae3d)
  words[0] = a
  words[1] = b
  words[2] = c
  words[3] = Math.imul((words[3] as number) ^ code ^ (c >>> 16), 0x27d4eb2f)
}

const textOf = (words: Uint32Array) => [...words].map((word) => word.toString(16).padStart(8, '0')).join('')
