import { type Channels, silence } from '../audio/block'
import { alikeness, levelKept } from '../dsp/alike'
import { lowerBound } from '../dsp/search'
import type { Voice } from '../methods/method'

/** How a piece takes over from the one before it. */
export interface SeamFade {
  /** frames before the seam in which it does */
  readonly frames: number
  /** the two are at odds in their phases: the sum is kept as loud as they are, whatever they have in common */
  readonly even?: boolean
}

/**
 * A voice in pieces, each with a voice of its own: what is read depends on the piece alone, not on where reading began. A piece is
 * faded in over the frames before its seam, while the one before goes on; reading that begins at a seam gives the very
 * samples that reading across it gives.
 * @param seams  output frames at which pieces 1, 2, … begin, rising, further apart than they fade.
 * @param fadeAt  how piece 1, 2, … is faded in, counted from 0.
 * @param open  makes the voice of a piece, counted from 0.
 */
export function piecedVoice(
  channelCount: number,
  seams: readonly number[],
  fadeAt: (seam: number) => SeamFade,
  open: (piece: number) => Voice,
): Voice {
  /** voices that are open, and the frame that each comes to next: of one piece, or of two that hand over */
  let opened: { readonly piece: number; readonly voice: Voice; at: number }[] = []
  let lastFade: { readonly seam: number; readonly channels: Channels } | undefined

  function readPiece(piece: number, frame: number, out: Channels) {
    let own = opened.find((one) => one.piece === piece)
    if (!own) {
      own = { piece, voice: open(piece), at: Number.NaN }
      opened = [...opened.filter((one) => one.piece === piece - 1), own]
    }
    if (own.at !== frame && piece > 0) {
      // every piece is begun where its fade begins
      const { frames } = fadeAt(piece - 1)
      const start = (seams[piece - 1] as number) - frames
      const missed = frame - start
      if (missed > 0 && missed <= frames) own.voice.read(start, silence(channelCount, missed))
    }
    own.voice.read(frame, out)
    own.at = frame + (out[0]?.length ?? 0)
  }

  /** All that is heard while a piece gives way to the next. */
  function fadeBefore(seam: number): Channels {
    if (lastFade?.seam === seam) return lastFade.channels
    const { frames, even } = fadeAt(seam)
    const start = (seams[seam] as number) - frames
    const [going, coming] = [silence(channelCount, frames), silence(channelCount, frames)]
    readPiece(seam, start, going)
    readPiece(seam + 1, start, coming)
    const alike = even ? alikeIn(going, coming, frames) : 1
    going.forEach((channel, c) => {
      crossFade(channel, coming[c] as Float32Array, alike)
    })
    lastFade = { seam, channels: going }
    return going
  }

  return {
    read(outputFrame, out) {
      const count = out[0]?.length ?? 0
      let piece = pieceAt(seams, outputFrame)
      for (let done = 0; done < count; ) {
        const frame = outputFrame + done
        const seam = seams[piece] ?? Number.POSITIVE_INFINITY
        const fadeStart = piece < seams.length ? seam - fadeAt(piece).frames : seam
        const take = Math.min(count - done, (frame < fadeStart ? fadeStart : seam) - frame)
        const now = part(out, done, done + take)
        if (frame < fadeStart) {
          opened = opened.filter((one) => one.piece === piece)
          readPiece(piece, frame, now)
        } else {
          fadeBefore(piece).forEach((channel, c) => {
            now[c]?.set(channel.subarray(frame - fadeStart, frame - fadeStart + take))
          })
        }
        done += take
        if (frame + take === seam) piece++
      }
    },
  }
}

/** fades count as no more opposed than this: a sum that cancels out cannot be made louder without end */
const LEAST_ALIKE = -0.5

/** How alike what goes and what comes are, where the fade is. */
function alikeIn(going: Channels, coming: Channels, frames: number): number {
  const weights = new Float64Array(frames).fill(1)
  return Math.max(LEAST_ALIKE, alikeness({ channels: going, start: 0 }, { channels: coming, start: 0 }, weights))
}

/** From one channel to the other, into the first, at the level that both have. */
function crossFade(from: Float32Array, to: Float32Array, alike: number) {
  for (let i = 0; i < from.length; i++) {
    const weight = (i + 0.5) / from.length
    const own = 1 - weight
    const sum = own * (from[i] as number) + weight * (to[i] as number)
    from[i] = alike === 1 ? sum : sum * levelKept(own, weight, alike)
  }
}

/** The piece that an output frame lies in. */
export const pieceAt = (seams: readonly number[], frame: number) => lowerBound(seams, frame + 1)

const part = (channels: Channels, from: number, to: number): Float32Array[] =>
  channels.map((channel) => channel.subarray(from, to))
