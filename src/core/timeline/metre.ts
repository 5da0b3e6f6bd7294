/** From this bar on, bars have so many beats. Bars count from 0. */
export interface MetreChange {
  readonly bar: number
  readonly beatsPerBar: number
}

/** Changes rising by bar. Before the first one bars have four beats. */
export type Metre = readonly MetreChange[]

const FIRST_BEATS_PER_BAR = 4

export const BEATS_PER_BAR_RANGE = { min: 1, max: 32 } as const

export interface OpenMetre {
  /** the beat at which a bar begins; bars need not be whole, and may lie before 0 */
  beatOfBar(bar: number): number
  /** the bar in which a beat lies, how far into it, and how many beats it has */
  barAt(beat: number): { readonly bar: number; readonly beat: number; readonly beatsPerBar: number }
}

/** Bars ↔ beats. */
export function openMetre(metre: Metre): OpenMetre {
  const spans = [{ bar: 0, beat: 0, beatsPerBar: FIRST_BEATS_PER_BAR }]
  for (const change of metre) {
    const last = spans[spans.length - 1] as (typeof spans)[number]
    const beat = last.beat + (change.bar - last.bar) * last.beatsPerBar
    if (change.bar === last.bar) spans.pop()
    spans.push({ ...change, beat })
  }
  const spanAt = (axis: 'bar' | 'beat', value: number) =>
    spans.findLast((span) => span[axis] <= value) ?? (spans[0] as (typeof spans)[number])
  return {
    beatOfBar(bar) {
      const span = spanAt('bar', bar)
      return span.beat + (bar - span.bar) * span.beatsPerBar
    },
    barAt(beat) {
      const span = spanAt('beat', beat)
      const bars = Math.floor((beat - span.beat) / span.beatsPerBar)
      return {
        bar: span.bar + bars,
        beat: beat - span.beat - bars * span.beatsPerBar,
        beatsPerBar: span.beatsPerBar,
      }
    },
  }
}
