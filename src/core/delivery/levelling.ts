import type { SoundSource } from '../audio/soundSource'
import { amplitudeToDb, dbToAmplitude } from '../dsp/units'
import { createLoudnessMeter } from '../measure/loudness'
import type { Task } from '../task'
import { levelsBetween, REACH } from './betweenSamples'
import type { Level } from './delivery'
import { createLimiter } from './limiter'

const BLOCK = 1 << 15
/** how near a loudness has to come, and in how many rounds, where a limiter is at work */
const NEAR_LU = 0.02
const MOST_ROUNDS = 8
const MOST_ATTEMPTS = 4
/** of a step of gain, the share that comes out as loudness where peaks are held back */
const USUAL_YIELD = 0.6
/** rounding, dither and the points that were not looked at are held within this */
const MARGIN_DB = 0.25
/** beyond it the gain is more than a sound can be asked to take */
const MOST_GAIN_DB = 60

/** What is done to the level of a sound. Plain data. */
export interface Levelled {
  /** factor */
  readonly gain: number
  /** amplitude; set where the gain alone would pass the ceiling */
  readonly ceiling?: number
  /** LUFS and dBTP before, and after */
  readonly before: { readonly lufs: number; readonly peakDb: number }
  readonly after: { readonly lufs: number; readonly peakDb: number }
  /** dB by which peaks were held back at most */
  readonly heldDb: number
}

type Read = (from: number, to: number) => { readonly channels: readonly Float32Array[]; readonly least: number }

/** Loudness and highest level of a sound, between samples too. */
function* measured(
  { sampleRate, channelCount, frames }: Pick<SoundSource, 'sampleRate' | 'channelCount' | 'frames'>,
  read: Read,
  progress: (done: number) => { doneFrames: number; totalFrames: number },
  peaks = true,
): Task<{ lufs: number; peak: number; least: number }> {
  const meter = createLoudnessMeter(sampleRate, channelCount)
  let peak = 0
  let least = 1
  // the end of the block before, so that nothing between two blocks is missed
  let before: readonly Float32Array[] = Array.from({ length: channelCount }, () => new Float32Array(0))
  for (let at = 0; at < frames; at += BLOCK) {
    const end = Math.min(frames, at + BLOCK)
    const one = read(at, end)
    meter.add(one.channels, end - at)
    least = Math.min(least, one.least)
    if (!peaks) {
      yield progress(end)
      continue
    }
    for (const channel of one.channels) for (const value of channel) peak = Math.max(peak, Math.abs(value))
    const joined = one.channels.map((channel, c) => joinedRun(before[c] as Float32Array, channel))
    const kept = joined[0]?.length ?? 0
    const levels = new Float64Array(Math.max(0, end === frames ? kept : kept - REACH))
    levelsBetween(joined, 0, levels, peak)
    for (const level of levels) peak = Math.max(peak, level)
    before = joined.map((channel) => channel.slice(Math.max(0, channel.length - 2 * REACH)))
    yield progress(end)
  }
  return { lufs: meter.finish(), peak, least }
}

function joinedRun(a: Float32Array, b: Float32Array): Float32Array {
  const joined = new Float32Array(a.length + b.length)
  joined.set(a)
  joined.set(b, a.length)
  return joined
}

/**
 * What has to be done to a sound's level. Peaks that the wanted loudness takes over the ceiling are held back.
 * The gain is then raised until what comes out is as loud as wanted.
 * Figures  within 0.1 LU; no level between samples over the ceiling.
 * Limits   a sound that cannot be made so loud comes as near as it can, and `after` says how near. Silence stays.
 */
export function* levelTask(source: SoundSource, level: Exclude<Level, { kind: 'as-is' }>): Task<Levelled> {
  const { frames } = source
  const rounds = 1
  let done = 0
  const progress = (own: number) => ({ doneFrames: done * frames + own, totalFrames: (rounds + done) * frames })
  const plain: Read = (from, to) => ({ channels: source.part(from, to).channels, least: 1 })
  const first = yield* measured(source, plain, progress)
  done++
  const before = { lufs: first.lufs, peakDb: amplitudeToDb(first.peak) }
  const untouched = { gain: 1, before, after: before, heldDb: 0 }
  if (!(first.peak > 0) || (level.kind === 'loudness' && !Number.isFinite(first.lufs))) return untouched
  const ceilingDb = level.ceilingDb - MARGIN_DB
  const gainFor = (wantedDb: number) => dbToAmplitude(Math.min(MOST_GAIN_DB, wantedDb))
  const alone = (gain: number): Levelled => ({
    gain,
    before,
    after: { lufs: first.lufs + amplitudeToDb(gain), peakDb: before.peakDb + amplitudeToDb(gain) },
    heldDb: 0,
  })
  if (level.kind === 'peak') return alone(gainFor(ceilingDb - before.peakDb))
  let gain = gainFor(level.lufs - first.lufs)
  if (first.peak * gain <= dbToAmplitude(ceilingDb)) return alone(gain)

  let own = ceilingDb
  let best: Levelled | undefined
  for (let attempt = 0; attempt < MOST_ATTEMPTS && !best; attempt++) {
    const ceiling = dbToAmplitude(own)
    // the loudness first: what it hangs on is cheap to see
    let [low, high]: [Tried | undefined, Tried | undefined] = [undefined, undefined]
    for (let round = 0; round < MOST_ROUNDS; round++) {
      const { lufs } = yield* measured(source, createLimiter(source, gain, ceiling).read, progress, false)
      done++
      const tried = { db: amplitudeToDb(gain), off: level.lufs - lufs }
      if (Math.abs(tried.off) < NEAR_LU) break
      if (tried.off > 0) low = tried
      else high = tried
      gain = dbToAmplitude(Math.min(MOST_GAIN_DB, nextDb(low, high)))
    }
    const now = yield* measured(source, createLimiter(source, gain, ceiling).read, progress)
    done++
    const peakDb = amplitudeToDb(now.peak)
    if (peakDb <= ceilingDb + MARGIN_DB / 2)
      best = { gain, ceiling, before, after: { lufs: now.lufs, peakDb }, heldDb: -amplitudeToDb(now.least) }
    own -= Math.max(0, peakDb - ceilingDb)
  }
  // a gain whose peaks could not be held is no answer: then the peak alone decides
  return best ?? alone(gainFor(ceilingDb - before.peakDb))
}

/** A gain that was tried, and by how many LU it missed: above 0 what came out was too quiet. */
interface Tried {
  readonly db: number
  readonly off: number
}

/** The gain to be tried next: between one that was too little and one that was too much, or further on the way. */
function nextDb(low: Tried | undefined, high: Tried | undefined): number {
  if (low && high) return low.db + ((high.db - low.db) * low.off) / (low.off - high.off)
  return low ? low.db + low.off / USUAL_YIELD : (high as Tried).db + (high as Tried).off
}

/** A sound as it is levelled, block by block from its start. */
export function levelledReader(source: SoundSource, { gain, ceiling }: Pick<Levelled, 'gain' | 'ceiling'>) {
  if (ceiling !== undefined) {
    const limiter = createLimiter(source, gain, ceiling)
    return (from: number, to: number) => limiter.read(from, to).channels
  }
  return (from: number, to: number) => {
    const { channels } = source.part(from, to)
    if (gain === 1) return channels
    return channels.map((channel) => {
      const own = new Float32Array(channel.length)
      for (let i = 0; i < own.length; i++) own[i] = (channel[i] as number) * gain
      return own
    })
  }
}
