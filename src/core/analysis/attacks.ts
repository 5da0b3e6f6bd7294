import { type AudioBlock, frameCount } from '../audio/block'
import { complexFft } from '../dsp/fft'
import { packFrames } from '../dsp/frames'
import { exp, ln, square } from '../dsp/portable'
import { nearestPowerOfTwo } from '../dsp/units'
import { hann } from '../dsp/window'
import type { Task } from '../task'
import { refineAttack } from './refineAttack'

/** The sudden start of a hit, pluck or consonant. */
export interface Attack {
  /** source frame at which it starts */
  readonly frame: number
  /** how far it stands out, 0–1 */
  readonly strength: number
}

export interface AttackOptions {
  /** 0–1; more finds fainter attacks, and sooner takes for one what is none */
  readonly sensitivity?: number
}

const STEPS_PER_SECOND = 200
const WINDOW_SECONDS = 0.0427
const BANDS_PER_OCTAVE = 24
const LOWEST_HZ = 30
const HIGHEST_HZ = 17_000
/** a band is looked at down to this far below the loudest one of the sound, dB */
const DEPTH_DB = 66
const NEIGHBOURHOOD_SECONDS = 0.03
const MEAN_BEFORE_SECONDS = 0.12
const MEAN_BEHIND_SECONDS = 0.08
const SAME_ATTACK_SECONDS = 0.025
/** so close to the first frame an attack may be the edge of a cut; a stroke's first 30 ms have this much more power than what follows */
const EDGE_SECONDS = 0.005
const DIES_AWAY = 1.5
/** what the predictor's error has to rise by at an attack, in power */
const LEAST_ERROR_RISE = 1.3
/** bands that are also looked at by themselves, about an octave, and how much the strongest such group has to say */
const GROUP_BANDS = 20
const GROUP_SAYS = 0.3

/**
 * Where attacks are: the rise of the log spectrum in narrow bands, against the loudest of three neighbouring bands a little
 * before, so that vibrato and glides do not count as rises; peaks over an adaptive threshold; then each refined to the frame.
 *
 * Frames rise, none twice. Works channel by channel in power, so nothing cancels.
 * Source  Böck & Widmer 2013, "Maximum filter vibrato suppression for onset detection".
 */
export function* detectAttacks(source: AudioBlock, options: AttackOptions = {}): Task<readonly Attack[]> {
  const { sampleRate } = source
  const frames = frameCount(source)
  const hop = Math.max(1, Math.round(sampleRate / STEPS_PER_SECOND))
  const novelty = yield* noveltyCurve(source, hop)
  const sensitivity = options.sensitivity ?? 0.5
  const attacks: Attack[] = []
  for (const peak of pickPeaks(novelty, sensitivity)) {
    const refined = refineAttack(source, peak.column * hop)
    if (!refined || refined.frame >= frames) continue
    const { frame, rise } = refined
    if (rise < LEAST_ERROR_RISE) continue
    if (frame < EDGE_SECONDS * sampleRate && !startsWithHit(source)) continue
    const last = attacks.at(-1)
    if (last && frame - last.frame < SAME_ATTACK_SECONDS * sampleRate) {
      // two readings of one attack: the stronger one stays
      if (peak.height > last.strength) attacks[attacks.length - 1] = { frame: last.frame, strength: peak.height }
      continue
    }
    attacks.push({ frame, strength: peak.height })
  }
  const most = attacks.reduce((m, a) => Math.max(m, a.strength), 0)
  return attacks.map(({ frame, strength }) => ({ frame, strength: strength / most }))
}

/**
 * Whether a sound begins with a stroke that dies away, and was not just cut out of something that went on: a bed that is there
 * from its first frame has no attack there.
 */
function startsWithHit(source: AudioBlock): boolean {
  const power = (fromSeconds: number, toSeconds: number) => {
    let sum = 0
    const from = Math.round(fromSeconds * source.sampleRate)
    const to = Math.min(frameCount(source), Math.round(toSeconds * source.sampleRate))
    for (const channel of source.channels) for (let i = from; i < to; i++) sum += square(channel[i] as number)
    return to > from ? sum / (to - from) : 0
  }
  // of a sound shorter than that, the same shares
  const seconds = Math.min(0.25, frameCount(source) / source.sampleRate)
  return power(0, 0.12 * seconds) > DIES_AWAY * power(0.4 * seconds, seconds)
}

function bandEdges(size: number, sampleRate: number): Int32Array {
  const edges: number[] = []
  const top = Math.min(HIGHEST_HZ, 0.48 * sampleRate)
  for (let n = 0; ; n++) {
    const hz =
      LOWEST_HZ * 2 ** Math.floor(n / BANDS_PER_OCTAVE) * exp(((n % BANDS_PER_OCTAVE) / BANDS_PER_OCTAVE) * Math.LN2)
    if (hz > top) break
    const bin = Math.round((hz * size) / sampleRate)
    if (bin > (edges.at(-1) ?? 0)) edges.push(bin)
  }
  return Int32Array.from(edges)
}

/** How much the spectrum rises at each step, mean over bands in natural log units. Shape `[⌈frames / hop⌉ + 1]`. */
export function* noveltyCurve(source: AudioBlock, hop: number): Task<Float64Array> {
  const { sampleRate, channels } = source
  const totalFrames = frameCount(source)
  const size = nearestPowerOfTwo(WINDOW_SECONDS * sampleRate, 64)
  const fft = complexFft(size)
  const window = hann(size)
  const packed = fft.create()
  const spectrum = fft.create()
  const edges = bandEdges(size, sampleRate)
  const bands = Math.max(1, edges.length - 1)
  const columns = Math.ceil(totalFrames / hop) + 1
  const levels = new Float32Array(columns * bands)
  const half = size >> 1

  let loudest = 0
  for (let column = 0; column < columns; column++) {
    const start = column * hop - half
    for (let c = 0; c < channels.length; c += 2) {
      const a = channels[c] as Float32Array
      const b = channels[c + 1]
      packFrames(packed, window, a, start, b, start)
      fft.forward(spectrum, packed)
      // |A|² + |B|² of the two packed channels, bin by bin: half of |Z(k)|² + |Z(−k)|²
      for (let band = 0; band < bands; band++) {
        let sum = 0
        const to = edges[band + 1] as number
        for (let k = edges[band] as number; k < to; k++) {
          const m = size - k
          const pr = spectrum[2 * k] as number
          const pi = spectrum[2 * k + 1] as number
          const qr = spectrum[2 * m] as number
          const qi = spectrum[2 * m + 1] as number
          sum += pr * pr + pi * pi + qr * qr + qi * qi
        }
        const at = column * bands + band
        levels[at] = (levels[at] as number) + sum / (to - (edges[band] as number))
      }
    }
    for (let band = 0; band < bands; band++) loudest = Math.max(loudest, levels[column * bands + band] as number)
    if (column % 200 === 199) yield { doneFrames: Math.min(totalFrames, column * hop), totalFrames }
  }
  const novelty = new Float64Array(columns)
  if (loudest === 0) return novelty
  const floor = loudest * exp((-DEPTH_DB / 10) * Math.LN10)
  for (let i = 0; i < levels.length; i++) levels[i] = 0.5 * ln((levels[i] as number) + floor)

  const lag = Math.max(1, Math.round(half / 2 / hop))
  // what lies before the sound is silence
  const quiet = 0.5 * ln(floor)
  // where a window reaches beyond the end, the cut shows as a rise in every band: nothing is looked for there
  const last = Math.max(0, Math.floor((totalFrames - half) / hop))
  for (let column = 0; column <= Math.min(last, columns - 1); column++) {
    const now = column * bands
    const before = (column - lag) * bands
    let rise = 0
    let groupRise = 0
    let most = 0
    for (let band = 0; band < bands; band++) {
      let old = quiet
      if (before >= 0) {
        old = levels[before + band] as number
        if (band > 0) old = Math.max(old, levels[before + band - 1] as number)
        if (band + 1 < bands) old = Math.max(old, levels[before + band + 1] as number)
      }
      const change = (levels[now + band] as number) - old
      if (change > 0) {
        rise += change
        groupRise += change
      }
      if ((band + 1) % GROUP_BANDS === 0 || band + 1 === bands) {
        most = Math.max(most, groupRise)
        groupRise = 0
      }
    }
    novelty[column] = rise / bands + GROUP_SAYS * (most / GROUP_BANDS)
  }
  return novelty
}

/** Peaks over the local mean by a margin that follows how restless the curve is around them. */
function pickPeaks(novelty: Float64Array, sensitivity: number): { column: number; height: number }[] {
  const near = Math.round(NEIGHBOURHOOD_SECONDS * STEPS_PER_SECOND)
  const behind = Math.round(MEAN_BEHIND_SECONDS * STEPS_PER_SECOND)
  const before = Math.round(MEAN_BEFORE_SECONDS * STEPS_PER_SECOND)
  const wide = Math.round(0.75 * STEPS_PER_SECOND)
  // from 0 to 1 the margin falls from four times to a quarter of its middle
  const scale = exp((0.5 - sensitivity) * 4 * Math.LN2)
  const peaks: { column: number; height: number }[] = []
  const scratch = new Float64Array(2 * wide + 1)
  for (let n = 0; n < novelty.length; n++) {
    const value = novelty[n] as number
    if (value < LEAST_RISE * scale) continue
    let isPeak = true
    for (let i = Math.max(0, n - near); i <= Math.min(novelty.length - 1, n + near) && isPeak; i++) {
      if ((novelty[i] as number) > value || ((novelty[i] as number) === value && i < n)) isPeak = false
    }
    if (!isPeak) continue
    let sum = 0
    let count = 0
    for (let i = Math.max(0, n - before); i <= Math.min(novelty.length - 1, n + behind); i++) {
      sum += novelty[i] as number
      count++
    }
    const mean = sum / count
    const from = Math.max(0, n - wide)
    const to = Math.min(novelty.length, n + wide + 1)
    const around = scratch.subarray(0, to - from)
    around.set(novelty.subarray(from, to))
    around.sort()
    const median = around[around.length >> 1] as number
    const upper = around[Math.floor(0.75 * around.length)] as number
    const margin = scale * Math.max(LEAST_RISE, RESTLESSNESS * (upper - median), 0.8 * median)
    const height = value - mean
    if (height > margin) peaks.push({ column: n, height })
  }
  return peaks
}

/** mean rise over all bands that counts as one at all, natural log units */
const LEAST_RISE = 0.045
/** how many times the spread of the curve around a peak it has to stand out */
const RESTLESSNESS = 2.5
