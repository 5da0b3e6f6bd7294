import { type Metre, openMetre, type TempoLine, tempoSteps } from '../core'
import { metreEvent, midiFile, TICKS_PER_BEAT, tempoEvent } from './midiFile'

/** A tempo line as files that others read. */
export interface TempoFile {
  readonly tempoLine: TempoLine
  readonly metre: Metre
  /** seconds of the performance at which beat 0 lies */
  readonly firstBeat?: number | undefined
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

/** As a MIDI file: tempo and metre alone. Ramps become eight steps to a beat, with ends where the line has them. */
export function tempoMidi({ tempoLine, metre }: TempoFile): Uint8Array<ArrayBuffer> {
  const { beatOfBar } = openMetre(metre)
  const tickOf = (beat: number) => Math.round(TICKS_PER_BEAT * beat)
  return midiFile([
    ...(metre.length > 0 ? metre : [{ bar: 0, beatsPerBar: 4 }]).map(({ bar, beatsPerBar }) =>
      metreEvent(tickOf(beatOfBar(bar)), beatsPerBar),
    ),
    ...tempoSteps(tempoLine).map(({ beat, bpm }) => tempoEvent(tickOf(beat), bpm)),
  ])
}
