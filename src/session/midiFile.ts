import { writeMidi } from 'midi-file'

export const TICKS_PER_BEAT = 960

/** Something at a tick of the file; its event as the package has it. */
export interface AtTick {
  readonly tick: number
  readonly event: Readonly<Record<string, unknown>>
}

export const tempoEvent = (tick: number, bpm: number): AtTick => ({
  tick,
  event: { meta: true, type: 'setTempo', microsecondsPerBeat: Math.round(60e6 / bpm) },
})

export const metreEvent = (tick: number, beatsPerBar: number): AtTick => ({
  tick,
  event: {
    meta: true,
    type: 'timeSignature',
    numerator: beatsPerBar,
    denominator: 4,
    metronome: 24,
    thirtyseconds: 8,
  },
})

/** A name at a tick; letters that the file's own writer does not take are written as question marks. */
export const markEvent = (tick: number, name: string): AtTick => ({
  tick,
  event: { meta: true, type: 'marker', text: name.replace(/[^\x20-\xff]/g, '?') },
})

/**
 * A MIDI file of one track.
 * @param end  the tick that it lasts to at least.
 */
export function midiFile(events: readonly AtTick[], end = 0): Uint8Array<ArrayBuffer> {
  const sorted = [...events].sort((a, b) => a.tick - b.tick)
  const last = Math.max(end, sorted.at(-1)?.tick ?? 0)
  let before = 0
  const track = [...sorted, { tick: last, event: { meta: true, type: 'endOfTrack' } }].map(({ tick, event }) => {
    const deltaTime = tick - before
    before = tick
    return { deltaTime, ...event }
  })
  return new Uint8Array(
    writeMidi({
      header: { format: 0, numTracks: 1, ticksPerBeat: TICKS_PER_BEAT },
      tracks: [track],
    } as Parameters<typeof writeMidi>[0]),
  )
}
