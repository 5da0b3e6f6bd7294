import { type AudioBlock, frameCount, silence } from '../audio/block'
import { complexFft } from '../dsp/fft'
import { createSincReader } from '../dsp/sinc'
import { semitonesToRatio } from '../dsp/units'
import { hann } from '../dsp/window'

/**
 * The methods as textbooks print them, without any of what ours add: what a method of ours has to beat clearly. For tests
 * only. Pitch is made by stretching by its ratio and reading back.
 */
export type Textbook = 'overlap-add' | 'phase vocoder' | 'similarity overlap-add'

export const textbooks: readonly Textbook[] = ['overlap-add', 'phase vocoder', 'similarity overlap-add']

export function renderTextbook(kind: Textbook, source: AudioBlock, stretch: number, semitones: number): AudioBlock {
  const ratio = semitonesToRatio(semitones)
  const stretched = stretchPlain(kind, source, stretch * ratio)
  const frames = Math.round(frameCount(source) * stretch)
  if (ratio === 1) return toLength(stretched, frames)
  const reader = createSincReader(32, ratio, 80)
  const channels = silence(source.channels.length, frames)
  for (let i = 0; i < frames; i++) reader.readInto(stretched.channels, i * ratio, channels, i)
  return { sampleRate: source.sampleRate, channels }
}

function toLength(audio: AudioBlock, frames: number): AudioBlock {
  const channels = silence(audio.channels.length, frames)
  audio.channels.forEach((channel, c) => {
    channels[c]?.set(channel.subarray(0, frames))
  })
  return { sampleRate: audio.sampleRate, channels }
}

function stretchPlain(kind: Textbook, source: AudioBlock, stretch: number): AudioBlock {
  const size = 2048
  const frames = Math.round(frameCount(source) * stretch)
  const channels = silence(source.channels.length, frames + size)
  source.channels.forEach((channel, c) => {
    const out = channels[c] as Float32Array
    if (kind === 'phase vocoder') plainVocoder(channel, out, stretch, size)
    else plainOverlapAdd(channel, out, stretch, kind === 'overlap-add' ? 0 : 441)
  })
  return toLength({ sampleRate: source.sampleRate, channels }, frames)
}

/** Hann segments at half overlap; with `reach` the start is where the overlap correlates best (Verhelst & Roelands 1993). */
function plainOverlapAdd(samples: Float32Array, out: Float32Array, stretch: number, reach: number) {
  const size = 1024
  const hop = size / 2
  const window = hann(size)
  // silence around it, so that no place needs care
  const before = size + reach
  const input = new Float32Array(before + samples.length + 3 * size + reach)
  input.set(samples, before)
  let previous = before
  for (let k = 0; k * hop < out.length; k++) {
    let start = before + Math.round((k * hop) / stretch) - hop
    if (reach > 0 && k > 0) {
      let best = Number.NEGATIVE_INFINITY
      const centre = start
      for (let lag = -reach; lag <= reach; lag += 1) {
        let dot = 0
        let energy = 1e-9
        for (let i = 0; i < size; i += 4) {
          const x = input[centre + lag + i] as number
          dot += x * (input[previous + hop + i] as number)
          energy += x * x
        }
        const score = dot / Math.sqrt(energy)
        if (score > best) {
          best = score
          start = centre + lag
        }
      }
    }
    previous = start
    for (let i = 0; i < size; i++) {
      const at = k * hop - hop + i
      if (at >= 0 && at < out.length)
        out[at] = (out[at] as number) + (window[i] as number) * (input[start + i] as number)
    }
  }
}

/** Every bin goes its own way by its own frequency; nothing is locked, nothing is reset (Flanagan & Golden 1966; Dolson 1986). */
function plainVocoder(input: Float32Array, out: Float32Array, stretch: number, size: number) {
  const hop = size / 4
  const window = hann(size)
  const fft = complexFft(size)
  const packed = fft.create()
  const spectrum = fft.create()
  const phases = new Float64Array(size / 2 + 1)
  for (let k = 0; k * hop < out.length + size; k++) {
    const at = Math.round((k * hop) / stretch) - size / 2
    for (let i = 0; i < size; i++) {
      packed[2 * i] = (window[i] as number) * (input[at + i] ?? 0)
      packed[2 * i + 1] = (window[i] as number) * (input[at + i - hop] ?? 0)
    }
    fft.forward(spectrum, packed)
    const shaped = fft.create()
    for (let b = 0; b <= size / 2; b++) {
      const m = (size - b) % size
      const nr = ((spectrum[2 * b] as number) + (spectrum[2 * m] as number)) / 2
      const ni = ((spectrum[2 * b + 1] as number) - (spectrum[2 * m + 1] as number)) / 2
      const or = ((spectrum[2 * b + 1] as number) + (spectrum[2 * m + 1] as number)) / 2
      const oi = ((spectrum[2 * m] as number) - (spectrum[2 * b] as number)) / 2
      const now = Math.atan2(ni, nr)
      const before = Math.atan2(oi, or)
      phases[b] = k === 0 ? now : (phases[b] as number) + now - before
      const level = Math.hypot(nr, ni)
      shaped[2 * b] = level * Math.cos(phases[b] as number)
      shaped[2 * b + 1] = level * Math.sin(phases[b] as number)
      if (b > 0 && b < size / 2) {
        shaped[2 * m] = shaped[2 * b] as number
        shaped[2 * m + 1] = -(shaped[2 * b + 1] as number)
      }
    }
    fft.inverse(spectrum, shaped)
    for (let i = 0; i < size; i++) {
      const to = k * hop - size / 2 + i
      if (to >= 0 && to < out.length) {
        out[to] = (out[to] as number) + ((window[i] as number) * (spectrum[2 * i] as number)) / 1.5
      }
    }
  }
}
