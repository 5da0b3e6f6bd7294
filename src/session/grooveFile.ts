import { writeMidi } from 'midi-file'
import { GRIDS, type Groove } from '../core'

const TICKS = 960
/** of each note: a low drum, as loud as anything in between */
const NOTE = 36
const VELOCITY = 96

/** A groove as a MIDI file: a note for each step that has one, where it is played. */
export function grooveMidi({ grid, beatsPerBar, offsets, bpm }: Groove): Uint8Array<ArrayBuffer> {
  const step = TICKS / GRIDS[grid]
  const starts = offsets.flatMap((offset, n) =>
    // nothing lies before the file begins
    offset === null ? [] : [Math.max(0, Math.round(n * step + TICKS * offset))],
  )
  const notes = starts
    .flatMap((tick, n) => {
      const next = starts[n + 1] ?? Number.POSITIVE_INFINITY
      const end = tick + Math.max(1, Math.min(Math.round(step / 2), next - tick))
      return [
        { tick, event: { type: 'noteOn', channel: 9, noteNumber: NOTE, velocity: VELOCITY } },
        { tick: end, event: { type: 'noteOff', channel: 9, noteNumber: NOTE, velocity: 0 } },
      ]
    })
    .sort((a, b) => a.tick - b.tick)
  const end = Math.max(Math.round(offsets.length * step), notes.at(-1)?.tick ?? 0)
  let last = 0
  const timed = [...notes, { tick: end, event: { meta: true, type: 'endOfTrack' } }].map(({ tick, event }) => {
    const deltaTime = tick - last
    last = tick
    return { deltaTime, ...event }
  })
  return new Uint8Array(
    writeMidi({
      header: { format: 0, numTracks: 1, ticksPerBeat: TICKS },
      tracks: [
        [
          { deltaTime: 0, meta: true, type: 'setTempo', microsecondsPerBeat: Math.round(60e6 / bpm) },
          {
            deltaTime: 0,
            meta: true,
            type: 'timeSignature',
            numerator: beatsPerBar,
            denominator: 4,
            metronome: 24,
            thirtyseconds: 8,
          },
          ...timed,
        ],
      ],
    } as Parameters<typeof writeMidi>[0]),
  )
}
