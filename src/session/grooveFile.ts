import { GRIDS, type Groove } from '../core'
import { metreEvent, midiFile, TICKS_PER_BEAT, tempoEvent } from './midiFile'

/** of each note: a low drum, as loud as anything in between */
const NOTE = 36
const VELOCITY = 96

/** A groove as a MIDI file: a note for each step that has one, where it is played. */
export function grooveMidi({ grid, beatsPerBar, offsets, bpm }: Groove): Uint8Array<ArrayBuffer> {
  const step = TICKS_PER_BEAT / GRIDS[grid]
  const starts = offsets.flatMap((offset, n) =>
    // nothing lies before the file begins
    offset === null ? [] : [Math.max(0, Math.round(n * step + TICKS_PER_BEAT * offset))],
  )
  const notes = starts.flatMap((tick, n) => {
    const next = starts[n + 1] ?? Number.POSITIVE_INFINITY
    const end = tick + Math.max(1, Math.min(Math.round(step / 2), next - tick))
    return [
      { tick, event: { type: 'noteOn', channel: 9, noteNumber: NOTE, velocity: VELOCITY } },
      { tick: end, event: { type: 'noteOff', channel: 9, noteNumber: NOTE, velocity: 0 } },
    ]
  })
  return midiFile([tempoEvent(0, bpm), metreEvent(0, beatsPerBar), ...notes], Math.round(offsets.length * step))
}
