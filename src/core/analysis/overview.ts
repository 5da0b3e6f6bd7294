import { log2 } from '../dsp/portable'

/**
 * A sound drawn small: for each run of `framesPerBin` frames the lowest and highest sample over all channels and the
 * root mean square. Shape: all three `[bins]`.
 */
export interface Overview {
  readonly framesPerBin: number
  readonly frames: number
  readonly low: Float32Array
  readonly high: Float32Array
  readonly rms: Float32Array
}

const FINEST_FRAMES_PER_BIN = 16
const MOST_BINS = 2 ** 20

/** What one part of a sound adds to an overview of all of it: from bin `first` on, with the sum of squares in place of its root mean. */
export interface OverviewPart {
  readonly first: number
  readonly low: Float32Array
  readonly high: Float32Array
  readonly power: Float32Array
}

const framesPerBinOf = (frames: number) =>
  Math.max(FINEST_FRAMES_PER_BIN, 2 ** Math.ceil(log2(Math.max(1, frames / MOST_BINS))))

/**
 * Gather an overview from blocks as they come, in memory that is bounded however long the sound is.
 * @param frames  of the whole sound.
 * @param span    the part of it that comes here; all of it if not said.
 */
export function createOverviewBuilder(frames: number, { from, to } = { from: 0, to: frames }) {
  const framesPerBin = framesPerBinOf(frames)
  const first = Math.floor(from / framesPerBin)
  const bins = Math.max(0, Math.ceil(to / framesPerBin) - first)
  const low = new Float32Array(bins)
  const high = new Float32Array(bins)
  const power = new Float32Array(bins)
  let at = from - first * framesPerBin
  const part = (): OverviewPart => ({ first, low, high, power })
  return {
    add(block: readonly Float32Array[], count: number) {
      for (const channel of block) {
        for (let i = 0; i < count; i++) {
          const bin = Math.floor((at + i) / framesPerBin)
          const value = channel[i] as number
          if (value < (low[bin] as number)) low[bin] = value
          if (value > (high[bin] as number)) high[bin] = value
          power[bin] = (power[bin] as number) + (value * value) / block.length
        }
      }
      at += count
    },
    part,
    finish: (): Overview => joinOverviews(frames, [part()]),
  }
}

/** The overview of a sound from those of its parts, in any order; bins that two of them share hold both. */
export function joinOverviews(frames: number, parts: readonly OverviewPart[]): Overview {
  const framesPerBin = framesPerBinOf(frames)
  const bins = Math.ceil(frames / framesPerBin)
  const low = new Float32Array(bins)
  const high = new Float32Array(bins)
  const power = new Float32Array(bins)
  for (const part of parts) {
    for (let i = 0; i < part.low.length; i++) {
      const bin = part.first + i
      low[bin] = Math.min(low[bin] as number, part.low[i] as number)
      high[bin] = Math.max(high[bin] as number, part.high[i] as number)
      power[bin] = (power[bin] as number) + (part.power[i] as number)
    }
  }
  const rms = power.map((sum, bin) => Math.sqrt(sum / Math.max(1, Math.min(framesPerBin, frames - bin * framesPerBin))))
  return { framesPerBin, frames, low, high, rms }
}

/** The same sound drawn coarser, by a whole factor. */
export function coarsen(overview: Overview, factor: number): Overview {
  const bins = Math.ceil(overview.low.length / factor)
  const low = new Float32Array(bins)
  const high = new Float32Array(bins)
  const rms = new Float32Array(bins)
  for (let bin = 0; bin < bins; bin++) {
    const end = Math.min(overview.low.length, (bin + 1) * factor)
    let power = 0
    for (let i = bin * factor; i < end; i++) {
      low[bin] = Math.min(low[bin] as number, overview.low[i] as number)
      high[bin] = Math.max(high[bin] as number, overview.high[i] as number)
      const level = overview.rms[i] as number
      power += level * level
    }
    rms[bin] = Math.sqrt(power / (end - bin * factor))
  }
  return { framesPerBin: overview.framesPerBin * factor, frames: overview.frames, low, high, rms }
}
