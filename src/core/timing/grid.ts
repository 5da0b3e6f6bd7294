import type { SourceBeat } from '../timeline/axes'
import { type OwnBeats, ownPassage } from '../timeline/ownBeats'

/** Steps of a grid by the note that they are as long as, a beat being a quarter. `t`: three in the time of two. */
export const GRIDS = {
  '1/4': 1,
  '1/8': 2,
  '1/16': 4,
  '1/32': 8,
  '1/4t': 1.5,
  '1/8t': 3,
  '1/16t': 6,
} as const

export type GridName = keyof typeof GRIDS

export const isGridName = (name: string): name is GridName => Object.hasOwn(GRIDS, name)

/**
 * Swing: how much of a pair of steps its first one takes, %. At 50 a grid is straight, at 66.7 the second step of each
 * pair lies where the last of three would.
 */
export const SWING_RANGE = { min: 50, max: 75 } as const
export const STRAIGHT_SWING = 50

/** Whether steps come in pairs, so that there is a second one to move. */
export const takesSwing = (grid: GridName) => !grid.endsWith('t')

/** A source's off-grid pattern over one bar or more, to be laid on others. Plain data. */
export interface Groove {
  readonly grid: GridName
  readonly beatsPerBar: number
  readonly bars: number
  /**
   * for each step from the first of a bar on: how far behind its straight place it is played, beats; null where
   * nothing is
   */
  readonly offsets: readonly (number | null)[]
  /** for each step: how far single hits lie from that, median, beats */
  readonly spreads: readonly (number | null)[]
  /** hits that each step was taken from */
  readonly counts: readonly number[]
  /** tempo that it was taken at, beats a minute: what its offsets were in ms there */
  readonly bpm: number
}

export interface GridShape {
  readonly grid: GridName
  /** %, `SWING_RANGE` */
  readonly swing: number
  /** where each step of a bar, or of several, lies off the straight grid */
  readonly groove?: Groove | undefined
}

/** A grid laid over a source. Steps are counted from its beat 0, below 0 before it. */
export interface OpenGrid {
  /** seconds of the source at which a step lies, bent by swing or groove */
  at(step: number): number
  /** the same on the straight grid */
  straightAt(step: number): number
  /** the step whose place is nearest */
  nearest(seconds: number): number
  readonly stepsPerBeat: number
}

/** Lay a grid over a source's own beats. A groove says where steps lie; without one, swing does. */
export function openGrid({ grid, swing, groove }: GridShape, own: OwnBeats): OpenGrid {
  const stepsPerBeat = GRIDS[grid]
  const beats = ownPassage(own)
  const late = takesSwing(grid) ? (2 * swing) / 100 - 1 : 0
  /** how far a step lies behind its straight place, steps */
  const bend = (step: number): number => {
    if (!groove) return step % 2 === 0 ? 0 : late
    const first = Math.round(step)
    const index = ((first % groove.offsets.length) + groove.offsets.length) % groove.offsets.length
    return (groove.offsets[index] ?? 0) * stepsPerBeat
  }
  const secondsAt = (place: number) => beats.to((place / stepsPerBeat) as SourceBeat)
  const at = (step: number) => secondsAt(step + bend(step))
  return {
    at,
    straightAt: secondsAt,
    nearest(seconds) {
      const place = Math.round(beats.from(seconds) * stepsPerBeat)
      let best = place
      // bent steps may lie nearer than the one whose straight place is nearest
      for (const step of [place - 1, place + 1])
        if (Math.abs(at(step) - seconds) < Math.abs(at(best) - seconds)) best = step
      return best
    },
    stepsPerBeat,
  }
}
