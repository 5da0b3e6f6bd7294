import { silence } from '../audio/block'
import { partAround, type SoundSource } from '../audio/soundSource'
import { exp } from '../dsp/portable'
import { levelsBetween, REACH } from './betweenSamples'

/** how far ahead a peak is seen, and how long the gain takes to come back */
const AHEAD_SECONDS = 0.0015
const RETURN_SECONDS = 0.06
const BLOCK = 8192

/**
 * A sound at another gain, held below a ceiling. The gain of all channels goes down before a peak that would pass it,
 * as far as needed, and comes back behind it. Blocks are asked for in order, from the first frame on.
 * @param gain     factor
 * @param ceiling  amplitude; only what the moving gain itself adds passes it, some hundredths of a dB.
 */
export function createLimiter(source: SoundSource, gain: number, ceiling: number) {
  const { sampleRate, channelCount } = source
  const ahead = 2 * Math.max(1, Math.round((AHEAD_SECONDS * sampleRate) / 2))
  const back = 1 - exp(-1 / (RETURN_SECONDS * sampleRate))
  /** what each frame allows, from `ahead` frames before the next block on */
  let kept = new Float64Array(0)
  let last = 1
  let next = 0
  /** gains of the block that was made last: blocks lie on one grid, whoever asks for how many frames */
  let gains: Float64Array = new Float64Array(0)
  let gainsFrom = 0

  /** What frames up to `end` allow, each for all within `ahead` of it, with a slow return. */
  function allowedUntil(from: number, end: number): Float64Array {
    const { start, audio } = partAround(source, from - ahead - REACH, end + ahead + REACH)
    const levels = new Float64Array(end - from + 2 * ahead)
    levelsBetween(audio.channels, from - ahead - start, levels, ceiling / gain)
    const allowed = new Float64Array(end - from)
    // the highest level within a window that slides: candidates in falling order
    const waiting = new Int32Array(levels.length)
    let first = 0
    let count = 0
    for (let i = 0; i < levels.length; i++) {
      while (count > first && (levels[waiting[count - 1] as number] as number) <= (levels[i] as number)) count--
      waiting[count++] = i
      if ((waiting[first] as number) <= i - 2 * ahead - 1) first++
      if (i < 2 * ahead) continue
      const most = (levels[waiting[first] as number] as number) * gain
      last = Math.min(most > ceiling ? ceiling / most : 1, last + (1 - last) * back)
      allowed[i - 2 * ahead] = last
    }
    return allowed
  }

  function makeBlock() {
    const from = next
    next = Math.min(source.frames, from + BLOCK)
    const own = allowedUntil(from === 0 ? -ahead : from + ahead, next + ahead)
    const held = new Float64Array(kept.length + own.length)
    held.set(kept)
    held.set(own, kept.length)
    kept = held.slice(next - from)
    // the mean of what is allowed around, nearer frames counting more: it is never more than what is allowed here
    gains = meanOf(meanOf(held, ahead), ahead)
    gainsFrom = from
  }

  return {
    /** The frames from `from` up to `to`, and how low the gain went, as a factor. */
    read(from: number, to: number): { channels: Float32Array[]; least: number } {
      const channels = silence(channelCount, to - from)
      const { audio } = partAround(source, from, to)
      let least = 1
      for (let n = 0; n < to - from; n++) {
        while (from + n >= next) makeBlock()
        const share = gains[from + n - gainsFrom] as number
        least = Math.min(least, share)
        for (let c = 0; c < channelCount; c++)
          (channels[c] as Float32Array)[n] = (audio.channels[c]?.[n] as number) * gain * share
      }
      return { channels, least }
    },
  }
}

/** The mean of each run of `reach` + 1 values: so many fewer come out. */
function meanOf(values: Float64Array, reach: number): Float64Array {
  const out = new Float64Array(values.length - reach)
  let sum = 0
  for (let i = 0; i < reach; i++) sum += values[i] as number
  for (let i = 0; i < out.length; i++) {
    sum += values[i + reach] as number
    out[i] = Math.min(1, sum / (reach + 1))
    sum -= values[i] as number
  }
  return out
}
