/**
 * Sliding median along an array: `out[i]` is the middle of the values from `i − reach` to `i + reach`; beyond the ends the
 * window is cut. Keeps the window sorted and moves one value out and one in, each found by bisection.
 */
export function slidingMedianInto(
  out: Float64Array | Float32Array,
  values: Float64Array | Float32Array,
  reach: number,
): void {
  const sorted = new Float64Array(2 * reach + 2)
  let count = 0
  const placeOf = (value: number) => {
    let low = 0
    let high = count
    while (low < high) {
      const middle = (low + high) >> 1
      if ((sorted[middle] as number) < value) low = middle + 1
      else high = middle
    }
    return low
  }
  const insert = (value: number) => {
    const at = placeOf(value)
    sorted.copyWithin(at + 1, at, count)
    sorted[at] = value
    count++
  }
  const remove = (value: number) => {
    const at = placeOf(value)
    sorted.copyWithin(at, at + 1, count)
    count--
  }
  for (let i = 0; i < Math.min(reach, values.length); i++) insert(values[i] as number)
  for (let i = 0; i < values.length; i++) {
    if (i + reach < values.length) insert(values[i + reach] as number)
    if (i - reach - 1 >= 0) remove(values[i - reach - 1] as number)
    out[i] = sorted[count >> 1] as number
  }
}

/** The value that `rank` others (from 0) of the first `count` are not above; `scratch` is turned over in passing. */
export function rankedOf(scratch: Float64Array, count: number, rank: number): number {
  let low = 0
  let high = count - 1
  while (low < high) {
    // the middle one: a value out of order cannot make this slow, as rows that rise would make the first
    const pivot = scratch[(low + high) >> 1] as number
    let i = low
    let j = high
    while (i <= j) {
      while ((scratch[i] as number) < pivot) i++
      while ((scratch[j] as number) > pivot) j--
      if (i <= j) {
        const value = scratch[i] as number
        scratch[i++] = scratch[j] as number
        scratch[j--] = value
      }
    }
    if (rank <= j) high = j
    else if (rank >= i) low = i
    else break
  }
  return scratch[rank] as number
}
