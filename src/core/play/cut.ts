import { type AudioBlock, type Channels, frameCount } from '../audio/block'
import { sinTurns, square } from '../dsp/portable'

/** A piece of a sound that begins and ends without a click: where, and how long each end is faded. Frames. */
export interface CleanCut {
  readonly from: number
  readonly to: number
  readonly fadeIn: number
  readonly fadeOut: number
}

/** how far an end may move to where the waveform crosses zero, s */
const NEAR_SECONDS = 0.002
/** an end at which the waveform is at rest, or rises from zero, needs little; one in the middle of a tone more, s */
const SHORT_FADE_SECONDS = 0.003
const LONG_FADE_SECONDS = 0.01
/** how much louder what follows a cut is than what lies before, where an attack is cut to, times */
const RISES = 4

/**
 * Where to cut a piece out of a sound, near the frames that are wanted. Both ends go to the nearest zero crossing of
 * the channels' sum, those of the sound itself stay. An attack right behind the start keeps its edge by a short fade,
 * all else gets a longer one.
 */
export function cleanCut(audio: AudioBlock, from: number, to: number): CleanCut {
  const whole: Piece = { channels: audio.channels, begins: 0 }
  return cleanCutBetween({ frames: frameCount(audio), sampleRate: audio.sampleRate }, from, to, whole, whole)
}

/** A piece of a sound, and the frame that it begins at. */
export interface Piece {
  readonly channels: Channels
  readonly begins: number
}

/** how much of a sound is looked at to either side of an end, s */
export const CUT_LOOK_SECONDS = 2 * LONG_FADE_SECONDS + NEAR_SECONDS

/** The same of a sound that is there only around both ends, `CUT_LOOK_SECONDS` to either side. */
export function cleanCutBetween(
  { frames, sampleRate }: { readonly frames: number; readonly sampleRate: number },
  from: number,
  to: number,
  atStart: Piece,
  atEnd: Piece,
): CleanCut {
  const near = Math.round(NEAR_SECONDS * sampleRate)
  const start = Math.max(0, Math.min(frames, from))
  const end = Math.max(start, Math.min(frames, to))
  const least = Math.round(2 * SHORT_FADE_SECONDS * sampleRate)
  const short = Math.round(SHORT_FADE_SECONDS * sampleRate)
  const long = Math.round(LONG_FADE_SECONDS * sampleRate)
  const look = long
  const isLong = end - start > 4 * look
  // the sound's own ends stay
  const first = isLong && start > 0 ? crossing(atStart, start, near) : start
  // it ends before an attack that would just be begun
  const begins =
    isLong && end < frames && levelOf(atEnd, end - look, end) > RISES * levelOf(atEnd, end - 2 * look, end - look)
  const wanted = begins ? end - look : end
  const last = isLong && end < frames ? Math.max(first + 1, crossing(atEnd, wanted, near)) : end
  const length = last - first
  const isAttack = levelOf(atStart, first, first + look) > RISES * levelOf(atStart, first - look, first) && first > 0
  const most = Math.max(1, Math.floor(length / 4))
  return {
    from: first,
    to: last,
    fadeIn: first === 0 ? 1 : Math.min(most, isAttack || length < least ? short : long),
    fadeOut: Math.min(most, last === frames ? short : long),
  }
}

/** The gain of a cut at a frame counted from its start; it rises and falls as half a cosine. */
export function cutGain({ from, to, fadeIn, fadeOut }: CleanCut, at: number): number {
  const length = to - from
  if (at < 0 || at >= length) return 0
  const rise = at < fadeIn ? square(sinTurns((at + 0.5) / (4 * fadeIn))) : 1
  const left = length - at
  const fall = left <= fadeOut ? square(sinTurns((left - 0.5) / (4 * fadeOut))) : 1
  return rise * fall
}

/** Such a piece as a sound of its own. */
export function cutOut(audio: AudioBlock, cut: CleanCut): AudioBlock {
  return {
    sampleRate: audio.sampleRate,
    channels: audio.channels.map((channel) =>
      channel.slice(cut.from, cut.to).map((value, i) => value * cutGain(cut, i)),
    ),
  }
}

function sumAt({ channels, begins }: Piece, frame: number): number {
  let sum = 0
  for (const channel of channels) sum += channel[frame - begins] ?? 0
  return sum
}

/** The frame nearest to the wanted one behind which the channels' sum has another sign; itself where there is none. */
function crossing(piece: Piece, wanted: number, most: number): number {
  const { begins } = piece
  const ends = begins + (piece.channels[0]?.length ?? 0)
  for (let away = 0; away <= most; away++) {
    for (const at of [wanted - away, wanted + away]) {
      if (at <= begins || at >= ends) continue
      if (sumAt(piece, at - 1) <= 0 !== sumAt(piece, at) <= 0) return at
    }
  }
  return wanted
}

function levelOf({ channels, begins }: Piece, from: number, to: number): number {
  let sum = 0
  const start = Math.max(begins, from)
  for (const channel of channels) {
    const end = Math.min(begins + channel.length, to)
    for (let i = start; i < end; i++) sum += square(channel[i - begins] as number)
  }
  return Math.sqrt(sum / Math.max(1, (to - start) * channels.length))
}
