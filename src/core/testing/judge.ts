import { detectAttacks } from '../analysis/attacks'
import { trackPitch } from '../analysis/pitchTrack'
import type { AudioBlock } from '../audio/block'
import { complexFft } from '../dsp/fft'
import { hann } from '../dsp/window'
import { createLoudnessMeter } from '../measure/loudness'
import { finish } from '../task'
import { spectralDistance } from './distance'
import type { Ideal } from './ideals'

/** Figures that tell a result from its ideal; each is undefined where the item has nothing to measure it on. */
export interface Figures {
  distance: number
  /** LU against the ideal */
  loudness: number
  lost?: number
  added?: number
  /** ms, 95th percentile of |slip| */
  slipMs?: number
  /** dB over the larger of source and ideal, 90th percentile */
  beforeDb?: number
  /** dB against the ideal, mean */
  sharpnessLostDb?: number
  detuneCents?: number
  flutterDb?: number
  /** energy between partials, dB below all */
  betweenDb?: number
  /** cents, median of |error| */
  pitchCents?: number
  /** share of pitched steps more than 50 cents off or lost, % */
  grossPercent?: number
  /** %, mean over vowels and formants of |shift| */
  formantPercent?: number
  flatnessDb?: number
  /** strongest line over its surroundings, dB over the ideal's */
  lineDb?: number
  /** strongest steady modulation of the level, dB over the ideal's */
  modulationDb?: number
  coherence?: number
  balanceDb?: number
}

export function judge(result: AudioBlock, ideal: Ideal, source: Ideal, kind: string): Figures {
  const figures: Figures = {
    distance: spectralDistance(result, ideal.audio),
    loudness: loudnessOf(result) - loudnessOf(ideal.audio),
  }
  if (kind === 'hits' || kind === 'mix') Object.assign(figures, judgeAttacks(result, ideal, source))
  if (ideal.partials) Object.assign(figures, judgePartials(result, ideal))
  if (ideal.f0At && kind === 'line') Object.assign(figures, judgeLine(result, ideal))
  if (ideal.formants && ideal.f0At) figures.formantPercent = formantShift(result, ideal)
  if (kind === 'noise') Object.assign(figures, judgeNoise(result, ideal))
  if (kind === 'scene' || kind === 'noise') Object.assign(figures, judgeImage(result, ideal))
  return figures
}

/** Loudness of all of it, LUFS. */
export function loudnessOf(audio: AudioBlock): number {
  const meter = createLoudnessMeter(audio.sampleRate, audio.channels.length)
  meter.add(audio.channels, audio.channels[0]?.length ?? 0)
  return meter.finish()
}

const percentile = (values: readonly number[], share: number) =>
  [...values].sort((a, b) => a - b)[Math.min(values.length - 1, Math.floor(values.length * share))] ?? 0
const mean = (values: readonly number[]) => values.reduce((s, v) => s + v, 0) / Math.max(1, values.length)

/** Pair what was found with what should be there, nearest first. */
export function pairAttacks(found: readonly number[], wanted: readonly number[], withinSeconds: number) {
  const pairs = wanted.flatMap((w, i) =>
    found.flatMap((f, j) => (Math.abs(f - w) <= withinSeconds ? [{ i, j, off: f - w }] : [])),
  )
  pairs.sort((a, b) => Math.abs(a.off) - Math.abs(b.off))
  const takenWanted = new Set<number>()
  const takenFound = new Set<number>()
  const slips: number[] = []
  for (const { i, j, off } of pairs) {
    if (takenWanted.has(i) || takenFound.has(j)) continue
    takenWanted.add(i)
    takenFound.add(j)
    slips.push(off)
  }
  return { slips, lost: wanted.length - takenWanted.size, added: found.length - takenFound.size }
}

function energy(audio: AudioBlock, fromSeconds: number, toSeconds: number): number {
  const from = Math.max(0, Math.round(fromSeconds * audio.sampleRate))
  const to = Math.round(toSeconds * audio.sampleRate)
  let sum = 0
  for (const channel of audio.channels) for (let i = from; i < to; i++) sum += (channel[i] ?? 0) ** 2
  return sum
}

function judgeAttacks(result: AudioBlock, ideal: Ideal, source: Ideal): Partial<Figures> {
  const found = finish(detectAttacks(result)).map((a) => a.frame / result.sampleRate)
  // a ghost that drowns in the ideal itself is not lost
  const natural = finish(detectAttacks(ideal.audio)).map((a) => a.frame / ideal.audio.sampleRate)
  const heard = ideal.attacks.filter((at) => natural.some((n) => Math.abs(n - at) < 0.03))
  const { slips, lost } = pairAttacks(found, heard, 0.03)
  // nor is made up by a method what the detector takes for an attack in the ideal, or in the source, itself
  const lengthRatio = (ideal.audio.channels[0]?.length ?? 0) / (source.audio.channels[0]?.length ?? 1)
  const mistaken = finish(detectAttacks(source.audio)).map((a) => (a.frame / source.audio.sampleRate) * lengthRatio)
  const known = [...ideal.attacks, ...natural, ...mistaken]
  const added = found.filter((at) => !known.some((n) => Math.abs(n - at) < 0.03)).length
  const before: number[] = []
  const sharp: number[] = []
  ideal.attacks.forEach((at, i) => {
    const then = source.attacks[i] as number
    const gap = Math.min(at - (ideal.attacks[i - 1] ?? -1), then - (source.attacks[i - 1] ?? -1))
    if (gap < 0.05) return
    const reach = Math.min(0.03, gap / 2)
    const level = energy(source.audio, then, then + 0.03) * 3e-5 * (reach / 0.03) + 1e-12
    // a shorter gap brings the tail before it closer, in the ideal too: that is no harm
    const tail = Math.max(energy(source.audio, then - reach, then - 0.001), energy(ideal.audio, at - reach, at - 0.001))
    const extra = 10 * Math.log10((energy(result, at - reach, at - 0.001) + level) / (tail + level))
    before.push(extra)
    const concentration = (audio: AudioBlock, t: number) =>
      energy(audio, t - 0.0005, t + 0.004) / (energy(audio, t - 0.03, t + 0.03) + 1e-12)
    sharp.push(10 * Math.log10((concentration(ideal.audio, at) + 1e-9) / (concentration(result, at) + 1e-9)))
  })
  return {
    lost,
    added,
    slipMs: 1000 * percentile(slips.map(Math.abs), 0.95),
    beforeDb: percentile(before, 0.9),
    sharpnessLostDb: mean(sharp),
  }
}

/** Amplitude and phase of what lies at `hz`, through a Hann window, every 10 ms. */
function demodulate(samples: Float32Array, rate: number, hz: number, from: number, to: number, seconds = 0.06) {
  const size = Math.round(seconds * rate)
  const window = hann(size)
  const out: { t: number; level: number; phase: number }[] = []
  const step = (to - from - seconds) / Math.min(200, Math.max(8, Math.floor((to - from - seconds) / 0.01)))
  for (let t = from; t + seconds <= to; t += step) {
    const start = Math.round(t * rate)
    let re = 0
    let im = 0
    for (let i = 0; i < size; i++) {
      const a = (2 * Math.PI * hz * (start + i)) / rate
      const x = (window[i] as number) * (samples[start + i] ?? 0)
      re += x * Math.cos(a)
      im -= x * Math.sin(a)
    }
    out.push({ t: start / rate, level: Math.hypot(re, im), phase: Math.atan2(im, re) })
  }
  return out
}

/** The straight line through points, and how far they lie off it (standard deviation). */
function fitLine(points: readonly (readonly [number, number])[]): { slope: number; off: number } {
  const mx = mean(points.map((p) => p[0]))
  const my = mean(points.map((p) => p[1]))
  const sxx = points.reduce((s, [x]) => s + (x - mx) ** 2, 0)
  const slope = points.reduce((s, [x, y]) => s + (x - mx) * (y - my), 0) / Math.max(1e-12, sxx)
  return { slope, off: Math.sqrt(mean(points.map(([x, y]) => (y - my - slope * (x - mx)) ** 2))) }
}

function judgePartials(result: AudioBlock, ideal: Ideal): Partial<Figures> {
  const flutters: number[] = []
  const detunes: number[] = []
  const rate = result.sampleRate
  for (const { hz, from, to } of ideal.partials ?? []) {
    for (const [c, channel] of result.channels.entries()) {
      const points = demodulate(channel, rate, hz, from, to)
      const own = demodulate(ideal.audio.channels[c] as Float32Array, rate, hz, from, to)
      if (points.length < 4) continue
      const levelDb = (p: { level: number }) => 20 * Math.log10(p.level + 1e-12)
      const spread = fitLine(points.map((p) => [p.t, levelDb(p)] as const)).off
      const natural = fitLine(own.map((p) => [p.t, levelDb(p)] as const)).off
      flutters.push(Math.max(0, spread - natural))
      let turned = 0
      const phases = points.map((p, i) => {
        if (i > 0) {
          const change = p.phase - (points[i - 1]?.phase as number)
          if (change > Math.PI) turned -= 2 * Math.PI
          if (change < -Math.PI) turned += 2 * Math.PI
        }
        return [p.t, p.phase + turned] as const
      })
      detunes.push(Math.abs(1200 * Math.log2(1 + fitLine(phases).slope / (2 * Math.PI * hz))))
    }
  }
  return {
    flutterDb: percentile(flutters, 0.9),
    detuneCents: percentile(detunes, 0.9),
    betweenDb: between(result, ideal),
  }
}

/**
 * How far formants lie off, %: the centre of gravity of the harmonics within a quarter around each, against the ideal's.
 * Both have the same harmonics there, so what the harmonics leave unsaid of the envelope cancels.
 */
function formantShift(result: AudioBlock, ideal: Ideal): number {
  const shifts: number[] = []
  for (const { at, hz } of ideal.formants ?? []) {
    const f0 = (ideal.f0At as (t: number) => number)(at)
    for (const centre of hz) {
      const gravity = (audio: AudioBlock) => {
        let sum = 0
        let moment = 0
        for (let n = Math.ceil((0.75 * centre) / f0); n * f0 <= 1.25 * centre; n++) {
          const [first] = demodulate(
            audio.channels[0] as Float32Array,
            audio.sampleRate,
            n * f0,
            at - 0.04,
            at + 0.04,
            0.07,
          )
          const level = first?.level ?? 0
          sum += level * level
          moment += level * level * n * f0
        }
        return moment / (sum + 1e-12)
      }
      const wanted = gravity(ideal.audio)
      if (wanted > 0) shifts.push((100 * Math.abs(gravity(result) - wanted)) / wanted)
    }
  }
  return mean(shifts)
}

/** Energy where the ideal has none, against all of it, over the middle of the sound. */
function between(result: AudioBlock, ideal: Ideal): number {
  const size = 32_768
  const spans = (ideal.partials ?? []).map((p) => [p.from, p.to] as const)
  const from = Math.max(...spans.map((s) => s[0]))
  const to = Math.min(...spans.map((s) => s[1]))
  const seconds = size / result.sampleRate
  // notes that follow one another have no moment in common: there nothing is said
  if (to - from < seconds) return Number.NaN
  const at = Math.round(((from + to) / 2) * result.sampleRate - size / 2)
  let inside = 0
  let outside = 0
  for (const [c, channel] of result.channels.entries()) {
    const own = power(ideal.audio.channels[c] as Float32Array, at, size)
    const got = power(channel, at, size)
    const top = own.reduce((m, v) => Math.max(m, v), 0)
    const taken = own.map((v) => v > top * 1e-7)
    for (let k = 8; k < size / 2 - 8; k++) {
      let near = false
      for (let d = -8; d <= 8 && !near; d++) near = taken[k + d] as boolean
      if (near) inside += got[k] as number
      else outside += got[k] as number
    }
  }
  return 10 * Math.log10(outside / (inside + 1e-12) + 1e-12)
}

/** Power spectrum under a 4-term Blackman-Harris window. */
function power(samples: Float32Array, at: number, size: number): number[] {
  const fft = complexFft(size)
  const input = fft.create()
  const out = fft.create()
  for (let i = 0; i < size; i++) {
    const a = (2 * Math.PI * i) / size
    const w = 0.35875 - 0.48829 * Math.cos(a) + 0.14128 * Math.cos(2 * a) - 0.01168 * Math.cos(3 * a)
    input[2 * i] = w * (samples[at + i] ?? 0)
  }
  fft.forward(out, input)
  return Array.from({ length: size / 2 }, (_, k) => (out[2 * k] as number) ** 2 + (out[2 * k + 1] as number) ** 2)
}

const SURELY_PITCHED = 0.85

function judgeLine(result: AudioBlock, ideal: Ideal): Partial<Figures> {
  const track = finish(trackPitch(result))
  const own = finish(trackPitch(ideal.audio))
  const errors: number[] = []
  let gross = 0
  let steps = 0
  track.hz.forEach((hz, n) => {
    const reference = own.hz[n] ?? 0
    const t = (n * track.hopFrames) / result.sampleRate
    const f0 = ideal.f0At as (t: number) => number
    // where the ideal itself is barely pitched, a tracker's verdict says nothing
    if (
      reference === 0 ||
      (own.clarity[n] ?? 0) < SURELY_PITCHED ||
      f0(t) === 0 ||
      f0(t - 0.03) === 0 ||
      f0(t + 0.03) === 0
    )
      return
    steps++
    // against the same tracker's reading of the ideal: what the tracker itself is off by cancels
    const cents = hz > 0 ? 1200 * Math.log2(hz / reference) : Number.POSITIVE_INFINITY
    if (Math.abs(cents) > 50) gross++
    else errors.push(Math.abs(cents))
  })
  return { pitchCents: percentile(errors, 0.5), grossPercent: (100 * gross) / Math.max(1, steps) }
}

function judgeNoise(result: AudioBlock, ideal: Ideal): Partial<Figures> {
  return {
    flatnessDb: flatness(result) - flatness(ideal.audio),
    lineDb: strongestLine(result) - strongestLine(ideal.audio),
    modulationDb: strongestModulation(result) - strongestModulation(ideal.audio),
  }
}

/** Mean over short columns of geometric over arithmetic mean of power, in third-octave bands from 500 Hz to 10 kHz, dB. */
function flatness(audio: AudioBlock): number {
  const size = 4096
  const values: number[] = []
  const samples = audio.channels[0] as Float32Array
  const hop = Math.max(size, Math.floor(samples.length / 300))
  for (let at = size; at + 2 * size < samples.length; at += hop) {
    const column = power(samples, at, size)
    for (let hz = 500; hz < 10_000; hz *= 2 ** (1 / 3)) {
      const from = Math.round((hz * size) / audio.sampleRate)
      const to = Math.round((hz * 2 ** (1 / 3) * size) / audio.sampleRate)
      const band = column.slice(from, to)
      const arithmetic = 10 * Math.log10(mean(band) + 1e-20)
      values.push(mean(band.map((v) => 10 * Math.log10(v + 1e-20))) - arithmetic)
    }
  }
  return mean(values)
}

/** The strongest bin of the mean spectrum over the median around it, dB. */
function strongestLine(audio: AudioBlock): number {
  const size = 8192
  const sum = new Float64Array(size / 2)
  const samples = audio.channels[0] as Float32Array
  const seconds = 4
  // over a fixed count of columns, so that long and short sounds are read alike
  const columns = Math.floor((seconds * audio.sampleRate) / (size / 2)) - 3
  const start = Math.max(0, Math.floor(samples.length / 2 - (columns * size) / 4))
  for (let n = 0; n < columns; n++) {
    power(samples, start + (n * size) / 2, size).forEach((v, k) => {
      sum[k] = (sum[k] as number) + v
    })
  }
  let worst = 0
  for (let k = 60; k < 2000; k++) {
    const around = [...sum.slice(k - 20, k + 21)].sort((a, b) => a - b)
    worst = Math.max(worst, 10 * Math.log10((sum[k] as number) / ((around[20] as number) + 1e-20)))
  }
  return worst
}

/** The strongest line of the level's own spectrum from 4 to 100 Hz, against the mean of its surroundings, dB. */
function strongestModulation(audio: AudioBlock): number {
  const samples = audio.channels[0] as Float32Array
  const step = Math.round(audio.sampleRate / 400)
  const size = 1024
  const levels = new Float32Array(size * Math.max(1, Math.floor(samples.length / step / size)))
  for (let n = 0; n < levels.length; n++) {
    let sum = 0
    for (let i = 0; i < step; i++) sum += (samples[n * step + i] ?? 0) ** 2
    levels[n] = sum / step
  }
  const level = mean([...levels]) + 1e-20
  for (let n = 0; n < levels.length; n++) levels[n] = (levels[n] as number) / level - 1
  const sum = new Float64Array(size / 2)
  let count = 0
  for (let at = 0; at + size <= levels.length && count < 12; at += size / 2, count++) {
    power(levels, at, size).forEach((v, k) => {
      sum[k] = (sum[k] as number) + v
    })
  }
  let worst = 0
  for (let k = 10; k < 256; k++) {
    let around = 0
    for (let d = 3; d <= 10; d++) around += ((sum[k - d] ?? 0) + (sum[k + d] ?? 0)) / 16
    worst = Math.max(worst, 10 * Math.log10((sum[k] as number) / (around + 1e-20)))
  }
  return worst
}

/** Coherence and level difference of the two channels in third-octave bands, against the ideal's. */
function judgeImage(result: AudioBlock, ideal: Ideal): Partial<Figures> {
  const a = image(result)
  const b = image(ideal.audio)
  return {
    coherence: mean(a.map((band, i) => Math.abs(band.coherence - (b[i]?.coherence ?? 0)))),
    balanceDb: mean(a.map((band, i) => Math.abs(band.differenceDb - (b[i]?.differenceDb ?? 0)))),
  }
}

function image(audio: AudioBlock): { coherence: number; differenceDb: number }[] {
  const size = 2048
  const fft = complexFft(size)
  const window = hann(size)
  const packed = fft.create()
  const out = fft.create()
  const [left, right] = audio.channels as [Float32Array, Float32Array]
  const bands: number[] = []
  for (let hz = 150; hz < 12_000; hz *= 2 ** (1 / 3)) bands.push(Math.round((hz * size) / audio.sampleRate))
  const ll = new Float64Array(bands.length)
  const rr = new Float64Array(bands.length)
  const re = new Float64Array(bands.length)
  const im = new Float64Array(bands.length)
  for (let at = 0; at + size <= left.length; at += size / 2) {
    for (let i = 0; i < size; i++) {
      packed[2 * i] = (window[i] as number) * (left[at + i] as number)
      packed[2 * i + 1] = (window[i] as number) * (right[at + i] as number)
    }
    fft.forward(out, packed)
    for (let band = 0; band + 1 < bands.length; band++) {
      for (let k = bands[band] as number; k < Math.max((bands[band] as number) + 1, bands[band + 1] as number); k++) {
        const m = size - k
        const lr = ((out[2 * k] as number) + (out[2 * m] as number)) / 2
        const li = ((out[2 * k + 1] as number) - (out[2 * m + 1] as number)) / 2
        const xr = ((out[2 * k + 1] as number) + (out[2 * m + 1] as number)) / 2
        const xi = ((out[2 * m] as number) - (out[2 * k] as number)) / 2
        ll[band] = (ll[band] as number) + lr * lr + li * li
        rr[band] = (rr[band] as number) + xr * xr + xi * xi
        re[band] = (re[band] as number) + lr * xr + li * xi
        im[band] = (im[band] as number) + li * xr - lr * xi
      }
    }
  }
  return bands.slice(0, -1).map((_, n) => {
    const l = (ll[n] as number) + 1e-20
    const r = (rr[n] as number) + 1e-20
    return {
      coherence: Math.hypot(re[n] as number, im[n] as number) / Math.sqrt(l * r),
      differenceDb: 10 * Math.log10(l / r),
    }
  })
}
