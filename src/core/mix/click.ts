import { exp, sinTurns } from '../dsp/portable'
import type { Voice } from '../methods/method'
import { type OpenMetre, openMetre } from '../timeline/metre'
import { openTempo } from '../timeline/tempoLine'
import type { Arrangement } from './arrangement'

/** 0 for a beat, 1 for the first of a bar, 2 for what lies between beats. */
export type ClickKind = 0 | 1 | 2

const HZ = [1320, 1980, 990] as const
const LEVELS = [0.8, 1, 0.45] as const
const SECONDS = 0.03
const DECAY_SECONDS = 0.006
const RISE_SECONDS = 0.0005
const FULL = 0.35

/** The stroke of a click, by its kind; `[frames]`. */
export function clickStroke(kind: ClickKind, rate: number): Float32Array {
  return Float32Array.from({ length: Math.round(SECONDS * rate) }, (_, i) => {
    const t = i / rate
    const rise = Math.min(1, i / (RISE_SECONDS * rate))
    return FULL * LEVELS[kind] * rise * exp(-t / DECAY_SECONDS) * sinTurns(HZ[kind] * t)
  })
}

/**
 * The click of an arrangement, over frames of its mix, both channels alike.
 * Each beat lies at its frame, the first of a bar is accented.
 * @param gain  an amplitude.
 */
export function clickVoice(
  { tempoLine, metre }: Pick<Arrangement, 'tempoLine' | 'metre'>,
  rate: number,
  gain: number,
): Voice {
  const tempo = openTempo(tempoLine)
  const bars = openMetre(metre)
  const strokes = ([0, 1] as const).map((kind) => clickStroke(kind, rate))
  return {
    read(frame, out) {
      for (const channel of out) channel.fill(0)
      const end = frame + (out[0]?.length ?? 0)
      const first = Math.ceil(tempo.beatAt((frame - 1) / rate - SECONDS))
      for (let beat = first; ; beat++) {
        const begins = Math.round(tempo.secondsAt(beat) * rate)
        if (begins >= end) break
        const stroke = strokes[kindOfBeat(bars, beat)] as Float32Array
        for (let at = Math.max(frame, begins); at < Math.min(end, begins + stroke.length); at++)
          for (const channel of out)
            channel[at - frame] = (channel[at - frame] as number) + gain * (stroke[at - begins] as number)
      }
    },
  }
}

/** How a whole beat is clicked. */
export const kindOfBeat = (metre: OpenMetre, beat: number): 0 | 1 => (metre.barAt(beat).beat === 0 ? 1 : 0)
