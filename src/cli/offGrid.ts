import {
  AppError,
  dotsOf,
  GRIDS,
  type GridBeats,
  type GridName,
  type GridShape,
  gridBeats,
  type Hit,
  isGridName,
  type Knowledge,
  offGridOf,
  offGridWords,
  openGrid,
  STRAIGHT_SWING,
} from '../core'
import { type Arguments, UsageError } from './args'

/** What of a file's knowledge its timing is told by. */
export type RhythmKnown = Pick<Knowledge, 'attacks' | 'tempo' | 'seconds'>

export const hitsOf = ({ attacks }: Pick<Knowledge, 'attacks'>, sampleRate: number): Hit[] =>
  attacks.map(({ frame, strength }) => ({ seconds: frame / sampleRate, strength }))

/** The grid that a flag names. @throws {UsageError} */
export function gridFrom(args: Arguments): GridName {
  const grid = args.text('grid') ?? '1/16'
  if (!isGridName(grid)) throw new UsageError(`--grid takes ${Object.keys(GRIDS).join(', ')}`)
  return grid
}

/** The beats of a file, as found or as flags say. @throws {AppError} `time/grid` where there are none; {UsageError} */
export function beatsFrom(args: Arguments, file: string, known: RhythmKnown, hits: readonly Hit[]): GridBeats {
  const bpm = args.number('bpm')
  if (bpm !== undefined && !(bpm >= 5 && bpm <= 1000)) throw new UsageError('--bpm takes 5 to 1000')
  const firstBeat = args.number('first-beat')
  const beats = gridBeats(known.tempo, hits, { bpm, firstBeat })
  if (!beats) throw new AppError('time/grid', { file })
  return beats
}

/** How a file's attacks lie against a grid: what `analyse` prints. Undefined where there are too few. */
export function offGridFacts(
  hits: readonly Hit[],
  { own, onto }: GridBeats,
  shape: GridShape,
  { seconds, tempo }: RhythmKnown,
) {
  const grid = openGrid(shape, own)
  const figures = offGridOf(dotsOf(hits, grid, openGrid(shape, onto)), grid, tempo.beatsPerBar)
  if (!figures) return undefined
  const beatsInAll = (seconds * (tempo.bpm ?? 120)) / 60
  return { grid: shape.grid, ...figures, words: offGridWords(figures, beatsInAll / tempo.beatsPerBar) }
}

/** The same over sixteenths of the beats that were found; undefined where there is no tempo to be sure of. */
export function offGridFound(known: RhythmKnown, sampleRate: number) {
  const hits = hitsOf(known, sampleRate)
  const beats = gridBeats(known.tempo, hits, {})
  return beats && offGridFacts(hits, beats, { grid: '1/16', swing: STRAIGHT_SWING }, known)
}
