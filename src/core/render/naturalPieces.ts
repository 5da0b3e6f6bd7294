import type { NaturalRun } from '../timing/timing'

/** how far before the start of a run, where an attack may lie, the way into it is done: fades */
const LEAD_FADES = 0.4
/** what is shorter between two runs is only a fade from one to the other: fades */
const LEAST_BETWEEN_FADES = 4

export interface Pieces {
  /** output frames at which pieces 1, 2, … begin */
  readonly seams: readonly number[]
  /** where a piece is the source itself: how many frames the source lies ahead of it; else undefined */
  offsetOf(piece: number): number | undefined
}

/**
 * The pieces that a result falls into where parts of it are the source itself. Fades lie outside those parts: each
 * sample of them is that of the source.
 * @param longSeams  where it falls into pieces anyhow; those too near to a fade are left out.
 * @param runs  rising.
 */
export function withNaturalRuns(
  longSeams: readonly number[],
  runs: readonly NaturalRun[],
  frames: number,
  fadeFrames: number,
): Pieces {
  if (runs.length === 0) return { seams: longSeams, offsetOf: () => undefined }
  const lead = Math.round(LEAD_FADES * fadeFrames)
  const least = LEAST_BETWEEN_FADES * fadeFrames
  const begins: { at: number; offset: number | undefined }[] = []
  let end = 0
  for (const { from, to, offset } of runs) {
    const isFirst = begins.length === 0
    if (from - end >= least) {
      // the method goes on from the last run, or from the start
      begins.push({ at: isFirst ? 0 : end + fadeFrames, offset: undefined })
      begins.push({ at: from - lead, offset })
    } else begins.push({ at: isFirst ? 0 : from - lead, offset })
    end = to
  }
  if (frames - end >= least) begins.push({ at: end + fadeFrames, offset: undefined })
  const isFree = (seam: number) => begins.every(({ at }) => Math.abs(at - seam) > 2 * fadeFrames)
  const offsetAt = (frame: number) => begins.filter(({ at }) => at <= frame).at(-1)?.offset
  const all = [...begins, ...longSeams.filter(isFree).map((at) => ({ at, offset: offsetAt(at) }))].sort(
    (a, b) => a.at - b.at,
  )
  return { seams: all.slice(1).map(({ at }) => at), offsetOf: (piece) => all[piece]?.offset }
}
