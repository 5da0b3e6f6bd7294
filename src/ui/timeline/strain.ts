import { asOutput, type LaidPart, type NaturalRange, otherReading, readingOf } from '../../core'

/** How far a part is stretched beyond its material's natural range. */
export interface Strain {
  readonly grade: 'none' | 'slight' | 'clear'
  /** in words: “slightly stretched” */
  readonly words: string
  /** output length / source length over the part, from the least to the most */
  readonly least: number
  readonly most: number
  /** half or double time, where that is nearer */
  readonly other: { readonly feel: number; readonly words: string } | undefined
}

const LOOKS = 24

/** The strain of a laid part, looked at all along it; the worst of it counts. */
export function strainOf(laid: LaidPart, range: NaturalRange): Strain {
  const { recipe, feel, lock, own } = laid.part
  let least = Number.POSITIVE_INFINITY
  let most = 0
  for (const lap of laid.laps) {
    for (let n = 0; n <= LOOKS; n++) {
      const speed = lap.map.speedAt(asOutput((n / LOOKS) * lap.map.length))
      if (!(speed > 0)) continue
      least = Math.min(least, 1 / speed)
      most = Math.max(most, 1 / speed)
    }
    // rounds under one tempo are alike: the first few tell
    if (lap === laid.laps[LOOKS]) break
  }
  const readings = [least, most].map((stretch) => readingOf(stretch, range, recipe.pitchSemitones))
  const worst = readings.find((words) => words.startsWith('clearly')) ?? readings.find((words) => words !== 'natural')
  const mean = Math.sqrt(least * most)
  const better = lock === 'bars' && own ? otherReading(mean) : undefined
  const nextFeel = better ? feel * (better.feel === 'half' ? 0.5 : 2) : feel
  return {
    grade: worst === undefined ? 'none' : worst.startsWith('clearly') ? 'clear' : 'slight',
    words: worst ?? 'natural',
    least,
    most,
    other:
      better && nextFeel >= 0.5 && nextFeel <= 2
        ? { feel: nextFeel, words: better.feel === 'half' ? 'half time' : 'double time' }
        : undefined,
  }
}
