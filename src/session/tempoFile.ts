import { type Metre, openMetre, type TempoLine, tempoSteps } from '../core'
import { metreOf, tempoLineOf } from './arrange'
import { markEvent, metreEvent, midiFile, TICKS_PER_BEAT, tempoEvent } from './midiFile'
import type { Session } from './schema'

/** A tempo line as files that others read. */
export interface TempoFile {
  readonly tempoLine: TempoLine
  readonly metre: Metre
  /** seconds of the performance at which beat 0 lies */
  readonly firstBeat?: number | undefined
  /** names at bars, counted from 0 */
  readonly marks?: readonly { readonly bar: number; readonly name: string }[]
}

/** As JSON, as a session has it. */
export function tempoJson({ tempoLine, metre, firstBeat }: TempoFile): string {
  const [first, ...changes] = metre
  return `${JSON.stringify(
    {
      version: 2,
      ...(firstBeat !== undefined && { firstBeat }),
      beatsPerBar: first?.beatsPerBar ?? 4,
      ...(changes.length > 0 && {
        metre: changes.map(({ bar, beatsPerBar }) => ({ bar: bar + 1, beatsPerBar })),
      }),
      tempoLine: tempoLine.map(({ beat, bpm, curve }) => ({ beat, bpm, ...(curve && curve !== 'step' && { curve }) })),
    },
    null,
    1,
  )}\n`
}

/**
 * As a MIDI file: tempo, metre and marks, no notes.
 * Ramps become eight steps to a beat, with ends where the line has them.
 */
export function tempoMidi({ tempoLine, metre, marks = [] }: TempoFile): Uint8Array<ArrayBuffer> {
  const { beatOfBar } = openMetre(metre)
  const tickOf = (beat: number) => Math.round(TICKS_PER_BEAT * beat)
  return midiFile([
    ...(metre.length > 0 ? metre : [{ bar: 0, beatsPerBar: 4 }]).map(({ bar, beatsPerBar }) =>
      metreEvent(tickOf(beatOfBar(bar)), beatsPerBar),
    ),
    ...marks.map(({ bar, name }) => markEvent(tickOf(beatOfBar(bar)), name)),
    ...tempoSteps(tempoLine).map(({ beat, bpm }) => tempoEvent(tickOf(beat), bpm)),
  ])
}

/** The tempo line of a session, its sections as marks. */
export const sessionTempo = (session: Session): TempoFile => ({
  tempoLine: tempoLineOf(session),
  metre: metreOf(session),
  marks: session.sections.map(({ bar, name }) => ({ bar: bar - 1, name })),
})
