import type { SourceBeat, TimelineBeat, TimelineSecond } from './axes'
import { type Passage, straight, through } from './passage'
import type { OpenTempo } from './tempoLine'

/** A source's own beats, in seconds of its part: a straight grid, or each of a free performance, from beat 0 on. */
export type OwnBeats =
  | { readonly bpm: number; readonly firstBeat: number }
  /** rising, at least two */
  | { readonly seconds: readonly number[] }

/** From a source's beats to its seconds. Beyond a list's ends beats go on as they do next to them. */
export const ownPassage = (own: OwnBeats): Passage<SourceBeat, number> =>
  'seconds' in own ? through(own.seconds.map((to, at) => ({ at, to }))) : straight(60 / own.bpm, own.firstBeat)

/** From the seconds of the timeline to its beats. */
export const tempoPassage = ({ secondsAt, beatAt, bpmAt }: OpenTempo): Passage<TimelineSecond, TimelineBeat> => ({
  to: (second) => beatAt(second) as TimelineBeat,
  from: (beat) => secondsAt(beat) as TimelineSecond,
  speedAt: (second) => bpmAt(beatAt(second)) / 60,
})

/** The mean tempo of beats, beats a minute. @param seconds  rising, at least two. */
export const meanBpm = (seconds: readonly number[]) =>
  (60 * (seconds.length - 1)) / ((seconds.at(-1) as number) - (seconds[0] as number))
