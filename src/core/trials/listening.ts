/**
 * How likely at least `hits` of `trials` are when each is a matter of chance: the exact binomial tail.
 * Range  0 ≤ hits ≤ trials, chance 0…1; the result lies in 0…1.
 * @throws {RangeError} if the counts are not whole, negative, or the wrong way round.
 */
export function chanceOfAtLeast(hits: number, trials: number, chance = 0.5): number {
  if (!Number.isInteger(hits) || !Number.isInteger(trials) || hits < 0 || hits > trials) {
    throw new RangeError(`chanceOfAtLeast: hits must be whole and 0..${trials}, got ${hits}`)
  }
  let sum = 0
  // from the binomial coefficient of one count to the next, so that nothing overflows
  let term = (1 - chance) ** trials
  for (let k = 0; k <= trials; k++) {
    if (k >= hits) sum += term
    term *= ((trials - k) / (k + 1)) * (chance / (1 - chance))
  }
  return Math.min(1, sum)
}

/** How likely a preference at least this one-sided is, either way, when there is none. */
export function chanceOfPreference(forFirst: number, trials: number): number {
  return Math.min(1, 2 * chanceOfAtLeast(Math.max(forFirst, trials - forFirst), trials))
}
