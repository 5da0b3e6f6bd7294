import type { AudioBlock } from '../audio/block'
import type { Task } from '../task'
import { type Timbre, timbreDistance, timbreOf, timbreWords } from './timbre'

/** A moment that sounds unlike the others. Plain data; frames of what was looked through. */
export interface Moment {
  readonly from: number
  readonly to: number
  readonly timbre: Timbre
  /** how far it is from the nearest of those that were chosen before it, dB */
  readonly unlike: number
  /** in words */
  readonly why: readonly string[]
}

export interface MomentsAsked {
  readonly count: number
  readonly seconds: number
}

/** moments that are looked at, at most */
const MOST_LOOKED_AT = 240
/** so much softer than the loudest, and nobody would pick it, dB */
const SILENT_DB = -45

/**
 * The moments of a sound that differ most from each other by timbre: first the most usual one, then each time the one
 * that is furthest from all that were chosen. None overlaps another.
 * @param read  frames from one up to another.
 * Source  Gonzalez 1985, "Clustering to minimize the maximum intercluster distance", for the choice.
 */
export function* momentsTask(
  read: (from: number, to: number) => AudioBlock,
  frames: number,
  sampleRate: number,
  { count, seconds }: MomentsAsked,
): Task<Moment[]> {
  const length = Math.max(1, Math.min(frames, Math.round(seconds * sampleRate)))
  const most = Math.max(1, Math.min(MOST_LOOKED_AT, Math.floor((2 * (frames - length)) / length) + 1))
  const looked: { from: number; timbre: Timbre }[] = []
  for (let n = 0; n < most; n++) {
    const from = most === 1 ? 0 : Math.round((n * (frames - length)) / (most - 1))
    looked.push({ from, timbre: timbreOf(read(from, from + length)) })
    yield { doneFrames: n + 1, totalFrames: most }
  }
  const loudest = looked.reduce((top, { timbre }) => Math.max(top, timbre.levelDb), Number.NEGATIVE_INFINITY)
  const heard = looked.filter(({ timbre }) => timbre.levelDb > loudest + SILENT_DB)
  const sumTo = (own: Timbre) => heard.reduce((sum, { timbre }) => sum + timbreDistance(own, timbre), 0)
  const usual = heard.reduce(
    (best, one) => (sumTo(one.timbre) < sumTo(best.timbre) ? one : best),
    heard[0] as (typeof heard)[number],
  )
  const chosen: (typeof heard)[number][] = []
  const unlike = new Map<(typeof heard)[number], number>()
  let left = heard
  let next: (typeof heard)[number] | undefined = usual
  while (next && chosen.length < count) {
    const own: (typeof heard)[number] = next
    chosen.push(own)
    left = left.filter(({ from }) => Math.abs(from - own.from) >= length)
    const away = (one: (typeof heard)[number]) =>
      chosen.reduce(
        (least, { timbre }) => Math.min(least, timbreDistance(timbre, one.timbre)),
        Number.POSITIVE_INFINITY,
      )
    next = left.reduce<(typeof heard)[number] | undefined>(
      (best, one) => (best === undefined || away(one) > away(best) ? one : best),
      undefined,
    )
    if (next) unlike.set(next, away(next))
  }
  return chosen.map((one) => ({
    from: one.from,
    to: one.from + length,
    timbre: one.timbre,
    unlike: unlike.get(one) ?? 0,
    why: one === usual ? ['the most usual'] : timbreWords(one.timbre, usual.timbre),
  }))
}
