import type { Analysis } from '../analysis/analysis'
import { type AudioBlock, frameCount, silence } from '../audio/block'
import { type SoundSource, soundSource } from '../audio/soundSource'
import { complexFft } from '../dsp/fft'
import { log2, sinTurns, square } from '../dsp/portable'
import { createSimilaritySearch } from '../dsp/similarity'
import { finish, type Preparing } from '../task'

/**
 * A loop of a sound, frames: from `start` to `end`, the last `seam` frames before `end` pass over into its beginning.
 */
export interface Loop {
  readonly start: number
  readonly end: number
  /** what is heard in the last frames of each round, `[seamFrames]` in each channel */
  readonly seam: AudioBlock
  /** how alike what passes over is, −1 to 1 */
  readonly likeness: number
}

const SEAM_SHARE = 0.3
const SEAM_SECONDS = { min: 0.005, max: 0.25 }
/** how far the end may move to where the sound is most like its beginning, s */
const SEARCH_SECONDS = 0.03
const LEAST_SECONDS = 0.02
/** bands by themselves: below the first edge, an octave each, above the last, Hz */
const EDGES_HZ = [125, 250, 500, 1000, 2000, 4000, 8000] as const
/** how much of an octave two bands share */
const SHARED_OCTAVES = 0.5
const LOWEST_HZ = 60
/** levels are held over a few periods of a band, and no faster than this */
const SMOOTH_PERIODS = 3
const LEAST_SMOOTH_SECONDS = 0.004
/** what cancels is not held up beyond this, times */
const MOST_GAIN = 4
const TINY = 1e-14
/** a gain that changes within what it is smoothed over misses a little: it is found again from what came of it */
const HOLDING_ROUNDS = 4

/**
 * Find where a sound is best looped near the frames that are wanted, and make the seam: band by band one passes over
 * into the other, at the level that both have there, whatever they have in common.
 */
export const seamLoop = (audio: AudioBlock, from: number, to: number): Loop => finish(seamSteps(audio, from, to))

/** The same in small steps. */
export function* seamSteps(audio: AudioBlock, from: number, to: number): Preparing<Loop> {
  const { sampleRate } = audio
  const frames = frameCount(audio)
  const least = Math.round(LEAST_SECONDS * sampleRate)
  const length = Math.max(least, to - from)
  const seconds = Math.max(SEAM_SECONDS.min, Math.min(SEAM_SECONDS.max, (SEAM_SHARE * length) / sampleRate))
  const seamFrames = Math.min(Math.floor(frames / 4), Math.max(8, Math.round(seconds * sampleRate)))
  // what lies before the start is what the end passes over into
  const start = Math.max(seamFrames, Math.min(frames - seamFrames, from))
  const wanted = Math.min(frames, Math.max(start + seamFrames, to))
  const search = Math.min(Math.round(SEARCH_SECONDS * sampleRate), Math.floor((wanted - start) / 4))
  const low = Math.max(start, wanted - search - seamFrames)
  const high = Math.min(frames, wanted + search) - seamFrames
  const find = createSimilaritySearch(audio, seamFrames, Math.max(1, 2 * search))
  const found =
    high > low ? find(start - seamFrames, low, Math.min(high, low + 2 * search), wanted - seamFrames) : undefined
  const end = Math.max(start + 1, (found?.start ?? wanted - seamFrames) + seamFrames)
  yield
  const seam = yield* seamOf(audio, end, start, seamFrames)
  return { start, end, seam, likeness: found?.score ?? 0 }
}

/** What passes from before `a` over into what lies before `b`, band by band. */
function* seamOf(audio: AudioBlock, a: number, b: number, frames: number): Preparing<AudioBlock> {
  const { sampleRate, channels } = audio
  const margin = frames
  let size = 64
  while (size < frames + 2 * margin) size *= 2
  const bandsOfA: Float32Array[][] = []
  const bandsOfB: Float32Array[][] = []
  for (const channel of channels) {
    bandsOfA.push(yield* bandsOf(channel, a - frames - margin, size, sampleRate))
    bandsOfB.push(yield* bandsOf(channel, b - frames - margin, size, sampleRate))
  }
  const seam = silence(channels.length, frames)
  for (let band = 0; band <= EDGES_HZ.length; band++) {
    const pairs = channels.map((_, c) => ({
      own: ((bandsOfA[c] as Float32Array[])[band] as Float32Array).subarray(margin, margin + frames),
      other: ((bandsOfB[c] as Float32Array[])[band] as Float32Array).subarray(margin, margin + frames),
    }))
    const smooth = Math.max(LEAST_SMOOTH_SECONDS, SMOOTH_PERIODS / (EDGES_HZ[band - 1] ?? LOWEST_HZ))
    const gain = heldLevel(pairs, Math.max(1, Math.round(smooth * sampleRate)))
    pairs.forEach(({ own, other }, c) => {
      const out = seam[c] as Float32Array
      for (let i = 0; i < frames; i++) {
        const share = passed(i, frames)
        out[i] =
          (out[i] as number) + (gain[i] as number) * ((1 - share) * (own[i] as number) + share * (other[i] as number))
      }
    })
    yield
  }
  return { sampleRate, channels: seam }
}

/** How far one has passed over into the other, 0 to 1. */
const passed = (i: number, frames: number) => square(sinTurns((i + 0.5) / (4 * frames)))

/**
 * The gain that holds the level of what passes over where both would have it: at each moment as much power as the two
 * have there, each by its share.
 * Shape  `[frames]`, of one band; all channels have the same.
 */
function heldLevel(
  pairs: readonly { readonly own: Float32Array; readonly other: Float32Array }[],
  smoothFrames: number,
): Float64Array {
  const frames = pairs[0]?.own.length ?? 0
  const [wanted, mixed] = [new Float64Array(frames), new Float64Array(frames)]
  for (const { own, other } of pairs)
    for (let i = 0; i < frames; i++) {
      const share = passed(i, frames)
      const [x, y] = [own[i] as number, other[i] as number]
      wanted[i] = (wanted[i] as number) + (1 - share) * square(x) + share * square(y)
      mixed[i] = (mixed[i] as number) + square((1 - share) * x + share * y)
    }
  const want = smoothed(wanted, smoothFrames)
  const gain = new Float64Array(frames).fill(1)
  for (let round = 0; round < HOLDING_ROUNDS; round++) {
    const have = smoothed(
      mixed.map((power, i) => power * square(gain[i] as number)),
      smoothFrames,
    )
    for (let i = 0; i < frames; i++) {
      const next = (gain[i] as number) * Math.sqrt(((want[i] as number) + TINY) / ((have[i] as number) + TINY))
      gain[i] = Math.max(1 / MOST_GAIN, Math.min(MOST_GAIN, next))
    }
  }
  return gain
}

/** A running mean, twice: what lies beyond the ends is left out. */
function smoothed(values: Float64Array, width: number): Float64Array {
  const half = Math.max(1, Math.round(width / 2))
  let result = values
  for (let n = 0; n < 2; n++) {
    const sums = new Float64Array(result.length + 1)
    for (let i = 0; i < result.length; i++) sums[i + 1] = (sums[i] as number) + (result[i] as number)
    result = result.map((_, i) => {
      const [from, to] = [Math.max(0, i - half), Math.min(result.length, i + half + 1)]
      return ((sums[to] as number) - (sums[from] as number)) / (to - from)
    })
  }
  return result
}

/** A run of a channel in bands that add up to it; its ends are faded, so that none of them rings round. */
function* bandsOf(channel: Float32Array, from: number, size: number, sampleRate: number): Preparing<Float32Array[]> {
  const fft = complexFft(size)
  const input = fft.create()
  const spectrum = fft.create()
  const shaped = fft.create()
  const result = fft.create()
  const edge = Math.floor(size / 16)
  for (let i = 0; i < size; i++) {
    const fade = Math.min(1, Math.min(i, size - 1 - i) / edge)
    input[2 * i] = (channel[from + i] ?? 0) * square(sinTurns(fade / 4))
  }
  fft.forward(spectrum, input)
  yield
  const shares = bandShares(size, sampleRate)
  const bands: Float32Array[] = []
  // two bands a transform: each of them is real
  for (let band = 0; band < shares.length; band += 2) {
    const [one, other] = [shares[band] as Float32Array, shares[band + 1] as Float32Array]
    for (let k = 0; k < size; k++) {
      const [re, im] = [spectrum[2 * k] as number, spectrum[2 * k + 1] as number]
      const [x, y] = [one[k] as number, other[k] as number]
      shaped[2 * k] = x * re - y * im
      shaped[2 * k + 1] = x * im + y * re
    }
    fft.inverse(result, shaped)
    bands.push(
      Float32Array.from({ length: size }, (_, i) => result[2 * i] as number),
      Float32Array.from({ length: size }, (_, i) => result[2 * i + 1] as number),
    )
    yield
  }
  return bands
}

let lastShares: { readonly key: string; readonly shares: readonly Float32Array[] } | undefined

/** How much of each bin belongs to each band: together all of it. */
function bandShares(size: number, sampleRate: number): readonly Float32Array[] {
  const key = `${size} ${sampleRate}`
  if (lastShares?.key === key) return lastShares.shares
  const bands = EDGES_HZ.length + 1
  const shares = Array.from({ length: bands }, () => new Float32Array(size))
  for (let k = 0; k <= size / 2; k++) {
    const hz = (k * sampleRate) / size
    let over = 1
    for (let band = 0; band < bands; band++) {
      const next = over > 0 ? above(band, hz) : 0
      const own = shares[band] as Float32Array
      own[k] = over - next
      if (k > 0) own[size - k] = over - next
      over = next
    }
  }
  lastShares = { key, shares }
  return shares
}

/** How much of a frequency lies above an edge, 0 to 1. */
function above(edge: number, hz: number): number {
  const at = EDGES_HZ[edge]
  if (at === undefined || hz <= 0) return 0
  const away = log2(hz / at) / SHARED_OCTAVES + 0.5
  return square(sinTurns(Math.max(0, Math.min(1, away)) / 4))
}

/**
 * A sound that goes into its loop and never comes out of it, as long as it is asked for.
 * @param frames  how long it lasts.
 */
export function endless(audio: AudioBlock, { start, end, seam }: Loop, frames: number): SoundSource {
  const { sampleRate } = audio
  const own = soundSource(audio)
  const seamFrames = frameCount(seam)
  const round = end - start
  // one round as it is heard, from the loop's start
  const once = silence(own.channelCount, round)
  once.forEach((channel, c) => {
    channel.set((audio.channels[c] as Float32Array).subarray(start, end))
    channel.set(
      (seam.channels[c] as Float32Array).subarray(Math.max(0, seamFrames - round)),
      Math.max(0, round - seamFrames),
    )
  })
  return {
    sampleRate,
    channelCount: own.channelCount,
    frames,
    part(from, to) {
      const channels = silence(own.channelCount, to - from)
      for (let at = from; at < to; ) {
        const inRound = at < start ? at : (at - start) % round
        const left = at < start ? start - at : round - inRound
        const count = Math.min(to - at, left)
        channels.forEach((channel, c) => {
          const lies = at < start ? (audio.channels[c] as Float32Array) : (once[c] as Float32Array)
          channel.set(lies.subarray(inRound, inRound + count), at - from)
        })
        at += count
      }
      return { sampleRate, channels }
    },
  }
}

/** What is known of such a sound: what is known of one round comes round with it. */
export function endlessAnalysis({ attacks, pitch }: Analysis, { start, end }: Loop, frames: number): Analysis {
  const round = end - start
  const rounds = Math.ceil((frames - start) / round)
  const within = attacks?.filter(({ frame }) => frame >= start && frame < end) ?? []
  return {
    ...(attacks && {
      attacks: [
        ...attacks.filter(({ frame }) => frame < start),
        ...Array.from({ length: rounds }, (_, n) =>
          within.map((attack) => ({ ...attack, frame: attack.frame + n * round })),
        ).flat(),
      ],
    }),
    ...(pitch && { pitch: endlessPitch(pitch, start, round, frames) }),
  }
}

function endlessPitch(
  { hopFrames, hz, clarity }: NonNullable<Analysis['pitch']>,
  start: number,
  round: number,
  frames: number,
) {
  const steps = Math.ceil(frames / hopFrames) + 1
  const read = (values: Float32Array) =>
    Float32Array.from({ length: steps }, (_, n) => {
      const frame = n * hopFrames
      return values[Math.round((frame < start ? frame : start + ((frame - start) % round)) / hopFrames)] ?? 0
    })
  return { hopFrames, hz: read(hz as Float32Array), clarity: read(clarity as Float32Array) }
}
