import { writeMidi } from 'midi-file'
import { type Metre, openMetre, type TempoLine, tempoSteps } from '../core'

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

const TICKS = 960

/** As a MIDI file: tempo and metre alone. Ramps become eight steps to a beat, with ends where the line has them. */
export function tempoMidi({ tempoLine, metre }: TempoFile): Uint8Array<ArrayBuffer> {
  const { beatOfBar } = openMetre(metre)
  const events = [
    ...(metre.length > 0 ? metre : [{ bar: 0, beatsPerBar: 4 }]).map(({ bar, beatsPerBar }) => ({
      tick: Math.round(TICKS * beatOfBar(bar)),
      event: {
        meta: true,
        type: 'timeSignature',
        numerator: beatsPerBar,
        denominator: 4,
        metronome: 24,
        thirtyseconds: 8,
      },
    })),
    ...tempoSteps(tempoLine).map(({ beat, bpm }) => ({
      tick: Math.round(TICKS * beat),
      event: { meta: true, type: 'setTempo', microsecondsPerBeat: Math.round(60e6 / bpm) },
    })),
  ].sort((a, b) => a.tick - b.tick)
  let last = 0
  const track = events.map(({ tick, event }) => {
    const deltaTime = tick - last
    last = tick
    return { deltaTime, ...event }
  })
  return new Uint8Array(
    writeMidi({
      header: { format: 0, numTracks: 1, ticksPerBeat: TICKS },
      tracks: [[...track, { deltaTime: 0, meta: true, type: 'endOfTrack' }]],
    } as Parameters<typeof writeMidi>[0]),
  )
}
