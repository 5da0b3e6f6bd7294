/** Half spectra of one column, `[channel][length + 2]`, interleaved. */
export type Column = readonly Float32Array[]

export const emptyColumn = (channelCount: number, length: number): Column =>
  Array.from({ length: channelCount }, () => new Float32Array(length + 2))

/**
 * Turn the bins `from…to` around a spectral peak so that they go on where the last output column left them: by what
 * `last` (laid one hop ago) is ahead of `before` (the source one hop before `now`), all of the bins together: a single
 * one says little where partials lie close or there is noise. One turn for all channels, so that the image holds. Where
 * either has nothing, or nothing is to go on, the bins are taken as they are. `out` may be `last`.
 * Source  Laroche & Dolson 1999, identity phase locking; Röbel 2003 for the two-frame form.
 */
export function turnPeak(
  out: Column,
  now: Column,
  last: Column,
  before: Column,
  from: number,
  to: number,
  goesOn: boolean,
): void {
  let re = 0
  let im = 0
  if (goesOn) {
    for (let c = 0; c < out.length; c++) {
      const a = last[c] as Float32Array
      const b = before[c] as Float32Array
      for (let k = from; k < to; k++) {
        const lr = a[2 * k] as number
        const li = a[2 * k + 1] as number
        const or = b[2 * k] as number
        const oi = b[2 * k + 1] as number
        re += lr * or + li * oi
        im += li * or - lr * oi
      }
    }
  }
  const size = Math.sqrt(re * re + im * im)
  if (size > 1e-20) {
    re /= size
    im /= size
  } else {
    re = 1
    im = 0
  }
  for (let c = 0; c < out.length; c++) {
    const turned = out[c] as Float32Array
    const column = now[c] as Float32Array
    for (let k = from; k < to; k++) {
      const xr = column[2 * k] as number
      const xi = column[2 * k + 1] as number
      turned[2 * k] = xr * re - xi * im
      turned[2 * k + 1] = xr * im + xi * re
    }
  }
}

/** Keep the lesser of each pair of values. */
export function keepLeast(least: Float64Array, values: Float64Array) {
  for (let b = 0; b < least.length; b++)
    if ((values[b] as number) < (least[b] as number)) least[b] = values[b] as number
}

/** Keep the larger of each pair of values. */
export function keepMost(most: Float64Array, values: Float64Array) {
  for (let b = 0; b < most.length; b++) if ((values[b] as number) > (most[b] as number)) most[b] = values[b] as number
}
