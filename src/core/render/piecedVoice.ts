import { type Channels, silence } from '../audio/block'
import { lowerBound } from '../dsp/search'
import type { Voice } from '../methods/method'

/**
 * A voice in pieces, each with a voice of its own: what is read depends on the piece alone, not on where reading began. A piece is
 * faded in over the `fadeFrames` before its seam, while the one before goes on; reading that begins at a seam gives the very
 * samples that reading across it gives.
 * @param seams  output frames at which pieces 1, 2, … begin, rising, further apart than `fadeFrames`.
 * @param open  makes the voice of a piece, counted from 0.
 */
export function piecedVoice(
  channelCount: number,
  seams: readonly number[],
  fadeFrames: number,
  open: (piece: number) => Voice,
): Voice {
  const fading = silence(channelCount, fadeFrames)
  /** voices that are open, and the frame that each comes to next: of one piece, or of two that hand over */
  let opened: { readonly piece: number; readonly voice: Voice; at: number }[] = []

  function readPiece(piece: number, frame: number, out: Channels) {
    let own = opened.find((one) => one.piece === piece)
    if (!own) {
      own = { piece, voice: open(piece), at: Number.NaN }
      opened = [...opened.filter((one) => one.piece === piece - 1), own]
    }
    if (own.at !== frame && piece > 0) {
      // every piece is begun where its fade begins
      const start = (seams[piece - 1] as number) - fadeFrames
      const missed = frame - start
      if (missed > 0 && missed <= fadeFrames) own.voice.read(start, part(fading, 0, missed))
    }
    own.voice.read(frame, out)
    own.at = frame + (out[0]?.length ?? 0)
  }

  return {
    read(outputFrame, out) {
      const count = out[0]?.length ?? 0
      let piece = pieceAt(seams, outputFrame)
      for (let done = 0; done < count; ) {
        const frame = outputFrame + done
        const seam = seams[piece] ?? Number.POSITIVE_INFINITY
        const fadeStart = seam - fadeFrames
        const end = frame < fadeStart ? fadeStart : seam
        const take = Math.min(count - done, end - frame)
        const now = part(out, done, done + take)
        if (frame < fadeStart) opened = opened.filter((one) => one.piece === piece)
        readPiece(piece, frame, now)
        if (frame >= fadeStart) {
          // the way in is begun in the middle of the fade where reading begins there
          const coming = part(fading, fadeFrames - take, fadeFrames)
          readPiece(piece + 1, frame, coming)
          now.forEach((channel, c) => {
            const other = coming[c] as Float32Array
            for (let i = 0; i < take; i++) {
              const weight = (frame + i - fadeStart + 0.5) / fadeFrames
              channel[i] = (1 - weight) * (channel[i] as number) + weight * (other[i] as number)
            }
          })
        }
        done += take
        if (frame + take === seam) piece++
      }
    },
  }
}

/** The piece that an output frame lies in. */
export const pieceAt = (seams: readonly number[], frame: number) => lowerBound(seams, frame + 1)

const part = (channels: Channels, from: number, to: number): Float32Array[] =>
  channels.map((channel) => channel.subarray(from, to))
