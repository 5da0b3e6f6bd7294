/** Recorded sound in memory: one `Float32Array` per channel, all of one length, full scale at ±1. */
export interface AudioBlock {
  readonly sampleRate: number
  readonly channels: readonly Float32Array[]
}

/** The channel arrays that a caller owns and a reader fills; all of one length. */
export type Channels = readonly Float32Array[]

/** Length in frames; a block without channels has none. */
export function frameCount(block: AudioBlock): number {
  return block.channels[0]?.length ?? 0
}

/**
 * Silent channels.
 * @throws {RangeError} if a count is not a whole number of at least 0.
 */
export function silence(channelCount: number, frames: number): Float32Array[] {
  if (!Number.isInteger(channelCount) || channelCount < 0 || !Number.isInteger(frames) || frames < 0) {
    throw new RangeError(`silence: counts must be whole and not negative, got ${channelCount} × ${frames}`)
  }
  return Array.from({ length: channelCount }, () => new Float32Array(frames))
}

/** The largest absolute sample over all channels, 0 for an empty block. */
export function peakOf(channels: Channels): number {
  let peak = 0
  for (const channel of channels) {
    for (let i = 0; i < channel.length; i++) {
      const level = Math.abs(channel[i] as number)
      if (level > peak) peak = level
    }
  }
  return peak
}

/**
 * The mean power from one frame up to another, all channels added; with `ofRises`, of the difference of neighbouring
 * frames. Outside the block it is silent.
 */
export function meanPower({ channels }: AudioBlock, from: number, to: number, ofRises = false): number {
  let sum = 0
  for (const channel of channels) {
    const end = Math.min(channel.length, to)
    for (let i = Math.max(ofRises ? 1 : 0, from); i < end; i++) {
      const value = (channel[i] as number) - (ofRises ? (channel[i - 1] as number) : 0)
      sum += value * value
    }
  }
  return sum / Math.max(1, to - from)
}

/** Marked places that travel with a sound file. Frames count from the first one; a loop's end is exclusive. */
export interface Markers {
  readonly cues: readonly { readonly frame: number; readonly label: string }[]
  readonly loops: readonly {
    readonly startFrame: number
    readonly endFrame: number
    readonly kind: 'forward' | 'alternating' | 'backward'
    /** 0 = for ever */
    readonly plays: number
  }[]
  /** the note at which the sound plays unchanged, 0–127 */
  readonly rootNote?: number
  /** beats a minute and beats of the whole, as files of loops say it */
  readonly tempo?: {
    readonly bpm: number
    readonly beats?: number
    readonly metre?: { readonly beats: number; readonly unit: number }
  }
}

export const NO_MARKERS: Markers = { cues: [], loops: [] }
