import type { CanvasSink, WrappedCanvas } from 'mediabunny'
import { AppError } from '../core'

/** The pictures of a film, decoded by the browser where they are asked for. Nothing of it is held whole. */

/** A picture, and from which second of the film on it is to be seen, for how long. */
export type Picture = WrappedCanvas

export interface Film {
  /** The pictures at some moments, rising, each the last that begins by then; none where there is none yet. */
  stills(seconds: readonly number[], widthPx: number): AsyncGenerator<Picture | null, void, unknown>
  /** Pictures one after another, for a clock that runs. */
  run(widthPx: number): PictureRun
  close(): void
}

export interface PictureRun {
  /**
   * The picture to be seen at a moment, as far as it is there: decoding it has begun.
   * @param seconds  of the film; may go on, stand, or jump.
   */
  at(seconds: number): Picture | undefined
  close(): void
}

/** @throws {AppError} `film/nothing` where no picture can be read. */
export async function openFilm(blob: Blob, file: string): Promise<Film> {
  // what reads films is half as large as the page: it is loaded with the first one
  const { ALL_FORMATS, BlobSource, CanvasSink, Input } = await import('mediabunny')
  const input = new Input({ source: new BlobSource(blob), formats: ALL_FORMATS })
  const track = await input.getPrimaryVideoTrack()
  if (!track || !(await track.canDecode())) throw new AppError('film/nothing', { file })
  return {
    stills: (seconds, widthPx) => new CanvasSink(track, { width: widthPx }).canvasesAtTimestamps(seconds),
    run: (widthPx) => pictureRun(new CanvasSink(track, { width: widthPx, poolSize: AHEAD + 3 })),
    close: () => input.dispose(),
  }
}

/** pictures that are decoded before they are due */
const AHEAD = 5
/** a jump forward of more than this is quicker from the key picture there than by all pictures on the way, s */
const JUMP_SECONDS = 1
const SAME_SECONDS = 1e-4

/** What a run asks of the pictures of a film. */
type PictureSource = Pick<CanvasSink, 'canvases'>

export function pictureRun(sink: PictureSource): PictureRun {
  let there: Picture[] = []
  let pictures: AsyncGenerator<Picture, void, unknown> | undefined
  /** the moment that reading began at: the first picture there may begin later, at the start of a film */
  let begun = Number.POSITIVE_INFINITY
  let isReading = false
  let isOver = false
  let turn = 0

  function begin(seconds: number) {
    void pictures?.return()
    turn++
    there = []
    begun = seconds
    isReading = false
    isOver = false
    pictures = sink.canvases(Math.max(0, seconds))
    void readOn(turn)
  }

  async function readOn(mine: number) {
    if (isReading || isOver) return
    isReading = true
    try {
      while (mine === turn && there.length < AHEAD) {
        const next = await pictures?.next()
        if (mine !== turn) return
        if (!next || next.done) {
          isOver = true
          break
        }
        there.push(next.value)
      }
    } catch {
      // what cannot be decoded is not seen; the last picture stays
      isOver = mine === turn
    } finally {
      if (mine === turn) isReading = false
    }
  }

  return {
    at(seconds) {
      const last = there.at(-1)
      const isBefore = seconds < begun - SAME_SECONDS && seconds < (there[0]?.timestamp ?? begun) - SAME_SECONDS
      const isFar = !isOver && seconds > (last?.timestamp ?? begun) + JUMP_SECONDS
      if (isBefore || isFar) begin(seconds)
      while (there.length > 1 && (there[1] as Picture).timestamp <= seconds + SAME_SECONDS) {
        there.shift()
        begun = (there[0] as Picture).timestamp
      }
      if (there.length < AHEAD) void readOn(turn)
      return there[0]
    },
    close() {
      turn++
      void pictures?.return()
      there = []
    },
  }
}
