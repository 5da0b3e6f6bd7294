import { type Container, containers } from '../../core'

/**
 * Names of results, with the folders that their files lay in: one for each, none twice. What differs in its ending
 * alone keeps it; what has one name from several folders is counted.
 */
export function resultNames(names: readonly string[], container: Container): string[] {
  const taken = new Set<string>()
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
function* namesFor(name: string, ending: string): Generator<string> {
  const base = name.replace(/(?<=[^/\\])\.[^./\\]*$/, '')
  yield `${base}.${ending}`
  yield `${name}.${ending}`
  for (let n = 2; ; n++) yield `${base} ${n}.${ending}`
}
