import type { Container } from '../../core'
import { containers } from '../../core'

/**
 * Names of results, with the folders that their files lay in: one for each, none twice. What differs in its ending
 * alone keeps it; what has one name from several folders is counted.
 * @param taken  names that are not free, in lower case.
 */
export function resultNames(names: readonly string[], container: Container, taken = new Set<string>()): string[] {
  const { ending } = containers[container]
  return names.map((name) => {
    for (const free of namesFor(name, ending)) {
      if (taken.has(free.toLowerCase())) continue
      taken.add(free.toLowerCase())
      return free
    }
    throw new RangeError('no name is free')
  })
}

/** Names that a result may have, the wanted one first. */
export function* namesFor(name: string, ending: string): Generator<string> {
  const base = name.replace(/(?<=[^/\\])\.[^./\\]*$/, '')
  yield `${base}.${ending}`
  yield `${name}.${ending}`
  for (let n = 2; ; n++) yield `${base} ${n}.${ending}`
}
