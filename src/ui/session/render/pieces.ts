import { WORKERS_ALONE } from '../../../engine'

interface Piece {
  readonly from: number
  readonly to: number
}

/**
 * Have pieces made, several at once; what they come to is in their order. No more of them wait than there are workers, so that what is
 * asked for meanwhile gets its turn. `show` is told the share that is done, 0–1.
 * @throws what a piece failed by; the others are then left.
 */
export async function makePieces<P extends Piece, R>(
  pieces: readonly P[],
  make: (piece: P, index: number, onProgress: (doneFrames: number) => void) => Promise<R>,
  show: (progress: number) => void,
): Promise<R[]> {
  const frames = Math.max(1, pieces.at(-1)?.to ?? 0)
  const doneFrames = pieces.map(() => 0)
  const made: R[] = []
  let next = 0
  const makeNext = async (): Promise<void> => {
    const index = next++
    const piece = pieces[index]
    if (!piece) return
    const showDone = (done: number) => {
      doneFrames[index] = done
      show(doneFrames.reduce((sum, each) => sum + each, 0) / frames)
    }
    try {
      made[index] = await make(piece, index, showDone)
    } catch (error) {
      // without it the others are of no use
      next = pieces.length
      throw error
    }
    showDone(piece.to - piece.from)
    await makeNext()
  }
  await Promise.all(Array.from({ length: WORKERS_ALONE }, makeNext))
  return made
}
