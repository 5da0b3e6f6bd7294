/** The way from one axis to another: never falling, with its inverse. */
export interface Passage<From extends number = number, To extends number = number> {
  to(at: From): To
  from(at: To): From
  /** how fast the other axis goes there: `To` per `From` */
  speedAt(at: From): number
}

/** One way after another. Its inverse is theirs, the other way round. */
export function composed<A extends number, B extends number, C extends number>(
  first: Passage<A, B>,
  second: Passage<B, C>,
): Passage<A, C> {
  return {
    to: (at) => second.to(first.to(at)),
    from: (at) => first.from(second.from(at)),
    speedAt: (at) => first.speedAt(at) * second.speedAt(first.to(at)),
  }
}

/** The same way back. */
export const reversed = <A extends number, B extends number>({ to, from, speedAt }: Passage<A, B>): Passage<B, A> => ({
  to: from,
  from: to,
  speedAt: (at) => 1 / speedAt(from(at)),
})

/** A straight way: `factor × at + offset`. @throws {RangeError} unless the factor is finite and above 0. */
export function straight<A extends number, B extends number>(factor: number, offset = 0): Passage<A, B> {
  if (!(factor > 0 && Number.isFinite(factor) && Number.isFinite(offset)))
    throw new RangeError(`straight: factor must be finite and above 0, got ${factor} and ${offset}`)
  return {
    to: (at) => (factor * at + offset) as B,
    from: (at) => ((at - offset) / factor) as A,
    speedAt: () => factor,
  }
}

/**
 * A way through points, straight between them, and beyond both ends as it goes next to them.
 * @param points  rising on both axes, at least two.
 * @throws {RangeError} for fewer, or where they do not rise.
 */
export function through<A extends number, B extends number>(
  points: readonly { readonly at: number; readonly to: number }[],
): Passage<A, B> {
  if (points.length < 2) throw new RangeError(`through: needs two points, got ${points.length}`)
  points.forEach((point, n) => {
    const before = points[n - 1]
    if (before && !(point.at > before.at && point.to > before.to))
      throw new RangeError(`through: point ${n + 1} does not rise`)
  })
  // the piece asked for is nearly always the last one or its neighbour
  let near = 0
  const pieceOf = (axis: 'at' | 'to', value: number) => {
    const starts = (n: number) => (points[n] as (typeof points)[number])[axis]
    if (value < starts(near) || (near + 2 < points.length && value >= starts(near + 1))) {
      let low = 0
      let high = points.length - 2
      while (low < high) {
        const middle = (low + high + 1) >> 1
        if (starts(middle) <= value) low = middle
        else high = middle - 1
      }
      near = low
    }
    const from = points[near] as (typeof points)[number]
    const end = points[near + 1] as (typeof points)[number]
    return { from, speed: (end.to - from.to) / (end.at - from.at) }
  }
  return {
    to(at) {
      const { from, speed } = pieceOf('at', at)
      return (from.to + speed * (at - from.at)) as B
    },
    from(at) {
      const { from, speed } = pieceOf('to', at)
      return (from.at + (at - from.to) / speed) as A
    },
    speedAt: (at) => pieceOf('at', at).speed,
  }
}
