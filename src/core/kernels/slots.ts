/** Where a thing lies in a kernel's memory, laid there if it does not yet. */
export type Slots<T> = (thing: T) => number

/** A few equal places for what is used again and again, such as tables: what was not used for longest makes room. */
export function slotsFor<T>(places: readonly number[], lay: (thing: T, at: number) => void): Slots<T> {
  // the one used last stands last
  const held = new Map<T, number>()
  return (thing) => {
    let at = held.get(thing)
    if (at === undefined) {
      const oldest = held.size < places.length ? undefined : (held.keys().next().value as T)
      at = oldest === undefined ? (places[held.size] as number) : (held.get(oldest) as number)
      if (oldest !== undefined) held.delete(oldest)
      lay(thing, at)
    }
    held.delete(thing)
    held.set(thing, at)
    return at
  }
}
