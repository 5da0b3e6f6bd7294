/** Wrong usage, as against bad input: the command then ends with 2 and its help. */
export class UsageError extends Error {}

export interface Arguments {
  readonly places: readonly string[]
  flag(name: string): boolean
  /** the last value given */
  text(name: string): string | undefined
  /** all values given */
  texts(name: string): readonly string[]
  number(name: string): number | undefined
}

/**
 * Read flags of two sorts: `values` take the word after them (or after "="), `switches` stand alone. A lone "--" ends
 * the flags. Numbers may be negative.
 * @throws {UsageError} for an unknown flag, a missing value, or a value that is no number.
 */
export function readArguments(
  words: readonly string[],
  values: readonly string[],
  switches: readonly string[],
): Arguments {
  const places: string[] = []
  const given = new Map<string, string[]>()
  for (let i = 0; i < words.length; i++) {
    const word = words[i] as string
    if (word === '--') {
      places.push(...words.slice(i + 1))
      break
    }
    if (!word.startsWith('--')) {
      places.push(word)
      continue
    }
    const equals = word.indexOf('=')
    const name = word.slice(2, equals < 0 ? undefined : equals)
    if (switches.includes(name)) {
      if (equals >= 0) throw new UsageError(`--${name} takes no value`)
      given.set(name, [''])
    } else if (values.includes(name)) {
      const value = equals < 0 ? words[++i] : word.slice(equals + 1)
      if (value === undefined) throw new UsageError(`--${name} needs a value`)
      given.set(name, [...(given.get(name) ?? []), value])
    } else throw new UsageError(`there is no flag --${name}`)
  }
  return {
    places,
    flag: (name) => given.has(name),
    text: (name) => given.get(name)?.at(-1),
    texts: (name) => given.get(name) ?? [],
    number(name) {
      const text = given.get(name)?.at(-1)
      if (text === undefined) return undefined
      const value = Number(text)
      if (text.trim() === '' || !Number.isFinite(value)) throw new UsageError(`--${name} takes a number, not "${text}"`)
      return value
    },
  }
}

/** The words without a flag, exactly as many as there are names. */
export function places(args: Arguments, names: readonly string[]): readonly string[] {
  if (args.places.length !== names.length) {
    throw new UsageError(
      names.length === 0 ? `"${args.places[0]}" is one word too many` : `give ${names.join(' and ')}`,
    )
  }
  return args.places
}
