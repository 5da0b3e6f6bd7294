import { clickStroke } from '../core'
import { lowerBound } from '../core/dsp/search'

/** Places of what plays that are clicked at. */
export interface ClickTrack {
  /** as marks count, rising: source frames of a lane, beats of the timeline */
  readonly frames: Float64Array
  /** 1 for the first of a bar, 0 for other beats, 2 for what lies between beats */
  readonly kinds: Uint8Array
  readonly gain: number
}

/** Where in a block of `count` frames that goes from place `from` to place `to` the places in `frames` fall. */
export function crossings(
  frames: ArrayLike<number>,
  from: number,
  to: number,
  count: number,
): { index: number; offset: number }[] {
  const found: { index: number; offset: number }[] = []
  // a jump, a loop's end or a place that stands still has no moments of its own
  if (!(to > from) || to - from > 16 * count) return found
  for (let index = lowerBound(frames, from); index < frames.length && (frames[index] as number) < to; index++) {
    // the nearest frame; that may be the first of the next block
    found.push({ index, offset: Math.round((((frames[index] as number) - from) / (to - from)) * count) })
  }
  return found
}

/** Short clicks that are laid over what plays, each at its own frame. */
export function createMetronome(sampleRate: number) {
  const sounds = ([0, 1, 2] as const).map((kind) => clickStroke(kind, sampleRate))
  const length = (sounds[0] as Float32Array).length
  let running: { sound: Float32Array; at: number; gain: number }[] = []
  return {
    /** Add the clicks of a block that covers source frames `from…to` onto both channels. */
    addTo(track: ClickTrack, left: Float32Array, right: Float32Array, from: number, to: number) {
      for (const { index, offset } of crossings(track.frames, from, to, left.length)) {
        running.push({ sound: sounds[track.kinds[index] ?? 0] as Float32Array, at: -offset, gain: track.gain })
      }
      for (const click of running) {
        for (let i = Math.max(0, -click.at); i < left.length && click.at + i < length; i++) {
          const value = click.gain * (click.sound[click.at + i] as number)
          left[i] = (left[i] as number) + value
          right[i] = (right[i] as number) + value
        }
        click.at += left.length
      }
      running = running.filter((click) => click.at < length)
    },
  }
}
