import type { Attack } from '../analysis/attacks'
import { type PitchTrack, trackPitch } from '../analysis/pitchTrack'
import type { AudioBlock } from '../audio/block'
import { nearestPowerOfTwo } from '../dsp/units'
import { partOf, type Task } from '../task'
import { type Attacks, attacksOf } from './attackPairs'
import { type Energies, energiesOf } from './energies'
import { type LineReading, readLine } from './lineRoughness'
import { loudestPower } from './loudestPower'
import { createReach, type Reach } from './reach'
import { createSteadyTones, type SteadyTones } from './steadyTones'

const WINDOW_SECONDS = 0.0853
const PITCHED_SHARE = 0.25

/** The long columns that results are looked at by, frames. */
export const columnFrames = (sampleRate: number) => nearestPowerOfTwo(WINDOW_SECONDS * sampleRate, 256)

/** The pitch of a source, where enough of it has a clear one. */
export interface PitchReading {
  readonly track: PitchTrack
  /** where it is a single line */
  readonly line: LineReading | undefined
}

/**
 * What measures need to know of a source alone. Some is found out where it is first asked for. All is kept: it holds
 * for every result of that source.
 */
export interface SourceReading {
  readonly attacks: Attacks
  /** undefined where too little of it has a clear pitch */
  readonly pitch: () => Task<PitchReading | undefined>
  readonly steadyAt: SteadyTones
  /** power of the loudest column of some frames */
  readonly loudest: (size: number) => number
  /** what it has near a moment, by blocks of columns */
  readonly reach: Reach
  readonly energies: Energies
  /** what strokes bring, by what they were looked at */
  readonly struck: Map<string, Map<number, readonly number[]>>
}

/** @param known  attacks where they are known or were corrected. */
export function* readSource(source: AudioBlock, known?: readonly Attack[]): Task<SourceReading> {
  const attacks = yield* attacksOf(source, known)
  const size = columnFrames(source.sampleRate)
  const loudest = new Map<number, number>()
  let pitch: { readonly found: PitchReading | undefined } | undefined
  return {
    attacks,
    *pitch() {
      pitch ??= { found: yield* readPitch(source) }
      return pitch.found
    },
    steadyAt: createSteadyTones(source, size),
    loudest(frames) {
      const power = loudest.get(frames) ?? loudestPower(source, frames)
      loudest.set(frames, power)
      return power
    },
    reach: createReach(source, size),
    energies: energiesOf(source),
    struck: new Map(),
  }
}

function* readPitch(source: AudioBlock): Task<PitchReading | undefined> {
  const track = yield* partOf(trackPitch(source), 0, 0.5)
  return isPitched(track) ? { track, line: yield* partOf(readLine(source, track), 0.5, 1) } : undefined
}

/** Whether enough of a sound has a clear pitch for that to be compared. */
function isPitched(track: PitchTrack): boolean {
  let pitched = 0
  for (let n = 0; n < track.hz.length; n++)
    if ((track.hz[n] as number) > 0 && (track.clarity[n] as number) > 0.85) pitched++
  return pitched >= PITCHED_SHARE * Math.max(1, track.hz.length)
}
