import { type LengthContext, type LengthUnit, readLength, type Source, timedFacts } from '../../session'

/** What may be typed where a length, or a pitch, is wanted. */
export const LENGTH_EXAMPLES = 'Say it as 1.25, 125 %, +5 %, 1:05.250, 480000 samples, 8 bars or 120 BPM.'
export const PITCH_EXAMPLES = 'Say it as 3, −2.5 st, +150 cents, or the note that the key note becomes: F#.'

/**
 * Reads what is typed for the length of a source in a field of one unit.
 * @param toField  from a stretch to the unit of the field.
 */
export function lengthReader(
  source: Source,
  music: Pick<LengthContext, 'sourceBpm' | 'bpm' | 'beatsPerBar'>,
  unit: LengthUnit,
  toField: (stretch: number) => number,
): (text: string) => number | undefined {
  const facts = timedFacts(source)
  return (text) => {
    if (!facts) return undefined
    const { frames, sampleRate } = facts
    const stretch = readLength(text, unit, { frames, sampleRate, stretch: source.target.stretch, ...music })
    return stretch === undefined ? undefined : toField(stretch)
  }
}
