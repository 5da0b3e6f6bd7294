/**
 * A sound that breaks off, as if it went on: what followed the place most like its end. Whoever looks at it in long
 * windows then takes what lasts up to the end for lasting. One that has died away by its end goes on as silence.
 */

/** what has to be alike */
const ALIKE_SECONDS = 0.03
/** how far back such a place may lie */
const LEAST_BACK_SECONDS = 0.03
const MOST_BACK_SECONDS = 0.25
/** so far below the loudest of what was looked at it has died away */
const DIED_AWAY = 0.003
/** where its very end is so far below what comes before it, it is faded out */
const END_SECONDS = 0.001
const FADED_OUT = 0.2
const STEP = 4

/** @returns the channels with `frames` more; the same where they are too short or silent at their end. */
export function goneOn(channels: readonly Float32Array[], frames: number, sampleRate: number): readonly Float32Array[] {
  const length = channels[0]?.length ?? 0
  const [alike, least, most] = [ALIKE_SECONDS, LEAST_BACK_SECONDS, MOST_BACK_SECONDS].map((seconds) =>
    Math.round(seconds * sampleRate),
  ) as [number, number, number]
  if (length < most + alike) return channels
  const from = length - most - alike
  const mixed = new Float64Array(most + alike)
  for (const channel of channels)
    for (let i = 0; i < mixed.length; i++) mixed[i] = (mixed[i] as number) + (channel[from + i] as number)
  const end = mixed.subarray(most)
  const peakOf = (of: Float64Array) => of.reduce((most, x) => Math.max(most, Math.abs(x)), 0)
  const peak = peakOf(end)
  const last = peakOf(end.subarray(alike - Math.round(END_SECONDS * sampleRate)))
  if (peak <= DIED_AWAY * peakOf(mixed) || last <= FADED_OUT * peak) return channels
  const back = bestBack(mixed, end, least, most)
  return channels.map((channel) => {
    const out = new Float32Array(length + frames)
    out.set(channel)
    for (let i = 0; i < frames; i++) out[length + i] = channel[length - back + (i % back)] as number
    return out
  })
}

/**
 * The last frames of a sound, as many as a window, and what would follow them; `from` is the frame that they begin at.
 */
export function endGoneOn(channels: readonly Float32Array[], window: number, frames: number, sampleRate: number) {
  const length = channels[0]?.length ?? 0
  const kept = Math.min(length, Math.max(window, Math.ceil((MOST_BACK_SECONDS + ALIKE_SECONDS) * sampleRate)))
  const tails = channels.map((channel) => channel.subarray(length - kept))
  return { from: length - kept, channels: goneOn(tails, Math.round(frames), sampleRate) }
}

/** How many frames back the sound was most like it is at its end. */
function bestBack(mixed: Float64Array, end: Float64Array, least: number, most: number): number {
  const likeness = (back: number, step: number) => {
    let [product, energy] = [0, 1e-12]
    for (let i = 0; i < end.length; i += step) {
      const other = mixed[most - back + i] as number
      product += (end[i] as number) * other
      energy += other * other
    }
    return product / Math.sqrt(energy)
  }
  const best = (from: number, to: number, by: number, step: number) => {
    let [found, highest] = [from, Number.NEGATIVE_INFINITY]
    for (let back = from; back <= to; back += by) {
      const value = likeness(back, step)
      if (value > highest) [found, highest] = [back, value]
    }
    return found
  }
  const near = best(least, most, STEP, STEP)
  return best(Math.max(least, near - STEP), Math.min(most, near + STEP), 1, 1)
}
