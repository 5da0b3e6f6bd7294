import type { AudioBlock } from '../audio/block'
import { likeness } from '../kernels/likeness'

/**
 * Find the start in `low…high` (at most `mostLags` apart) whose `length` frames are most like those at `template`, by
 * normalised cross-correlation, all lags at once through one packed Fourier transform and its inverse. The search hears one
 * mix of all channels: their sum, or where these channels cancel, their difference. `score` is the correlation, −1…1; where
 * all is silence no place is better than another: then `wanted` stays, with a score of 0.
 */
export function createSimilaritySearch(source: AudioBlock, length: number, mostLags: number) {
  const { channels } = source
  const alike = likeness(length, mostLags)

  return (template: number, low: number, high: number, wanted: number): { start: number; score: number } => {
    if (template >= low && template <= high) return { start: template, score: 1 }
    const lags = high - low
    const alternate = cancel(channels, template, length)
    mixInto(alike.template, channels, template, alternate)
    const loudness = energyOf(alike.template)
    mixInto(lags === mostLags ? alike.region : alike.region.subarray(0, length + lags), channels, low, alternate)
    const { lag, value } = alike.find(lags)
    return lag < 0
      ? { start: wanted, score: 0 }
      : { start: low + lag, score: value / Math.sqrt(Math.max(loudness, 1e-9)) }
  }
}

/** Whether channels are louder with every second one turned over: then what even and odd ones have in common is negative. */
function cancel(channels: readonly Float32Array[], start: number, count: number): boolean {
  const [first, second] = channels as [Float32Array, Float32Array | undefined]
  if (!second) return false
  const from = Math.max(0, start)
  const to = Math.min(first.length, start + count)
  if (channels.length === 2) return inCommon(first, second, from, to) < 0
  let sum = 0
  for (let i = from; i < to; i++) {
    let even = 0
    let odd = 0
    for (let c = 0; c < channels.length; c++) {
      const value = (channels[c] as Float32Array)[i] as number
      if (c % 2 === 0) even += value
      else odd += value
    }
    sum += even * odd
  }
  return sum < 0
}

function inCommon(a: Float32Array, b: Float32Array, from: number, to: number): number {
  let sum = 0
  for (let i = from; i < to; i++) sum += (a[i] as number) * (b[i] as number)
  return sum
}

/** Σ channels, or the alternating one, of the frames from `start` on; what lies outside the source is silent. */
function mixInto(out: Float32Array, channels: readonly Float32Array[], start: number, alternate: boolean) {
  const count = out.length
  const from = Math.min(count, Math.max(0, -start))
  const to = Math.max(from, Math.min(count, (channels[0]?.length ?? 0) - start))
  out.fill(0, 0, from)
  out.fill(0, to)
  if (to > from) out.set((channels[0] as Float32Array).subarray(start + from, start + to), from)
  for (let c = 1; c < channels.length; c++) {
    if (alternate && c % 2 === 1) take(out, channels[c] as Float32Array, start, from, to)
    else add(out, channels[c] as Float32Array, start, from, to)
  }
}

function add(out: Float32Array, channel: Float32Array, start: number, from: number, to: number) {
  for (let i = from; i < to; i++) out[i] = (out[i] as number) + (channel[start + i] as number)
}

function take(out: Float32Array, channel: Float32Array, start: number, from: number, to: number) {
  for (let i = from; i < to; i++) out[i] = (out[i] as number) - (channel[start + i] as number)
}

/** Two sums side by side: one would wait for itself. */
function energyOf(samples: Float32Array): number {
  let a = 0
  let b = 0
  let i = 0
  for (; i + 1 < samples.length; i += 2) {
    const one = samples[i] as number
    const other = samples[i + 1] as number
    a += one * one
    b += other * other
  }
  if (i < samples.length) a += (samples[i] as number) * (samples[i] as number)
  return a + b
}
