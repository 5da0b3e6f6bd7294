/** Index of the first of rising `values` that is at least `from`; their count where none is. */
export function lowerBound(values: ArrayLike<number>, from: number): number {
  let low = 0
  let high = values.length
  while (low < high) {
    const middle = (low + high) >> 1
    if ((values[middle] as number) < from) low = middle + 1
    else high = middle
  }
  return low
}
