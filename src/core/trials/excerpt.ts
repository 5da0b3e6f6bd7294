import { mixedSource } from '../analysis/mix'
import type { AudioBlock } from '../audio/block'
import { partAround, type SoundSource, soundSource } from '../audio/soundSource'
import { complexFft } from '../dsp/fft'
import { packFrames } from '../dsp/frames'
import { square } from '../dsp/portable'
import { hann } from '../dsp/window'
import type { Span } from '../render/seams'
import { asOutput, asSource } from '../timeline/axes'
import type { TimeMap } from '../timeline/timeMap'

export type { Span }

const STEP_SECONDS = 0.25
const SIZE = 2048
/** that many attacks in a part are enough to judge by */
const ENOUGH_ATTACKS = 8

/**
 * The part of a result that tells most about a method: with attacks, with sustained tones and with noise, as far as the source
 * has them, and not its quiet corners. A short result is taken whole.
 *
 * @param attacks  source frames, rising.
 * @param outputSeconds  how long the part may be.
 * @param read  the traits of this source: all of it is read for them, so that whoever asks again keeps them.
 */
export function tellingSpan(
  sound: AudioBlock | SoundSource,
  map: TimeMap,
  attacks: readonly number[],
  outputSeconds: number,
  read: (source: SoundSource) => Traits = traitsOf,
): Span {
  const source = soundSource(sound)
  const { sampleRate } = source
  const length = Math.round(outputSeconds * sampleRate)
  if (map.outputFrames <= length) return { from: 0, to: map.outputFrames }
  const step = stepFrames(source)
  const traits = read(source)
  const best = { from: 0, score: -1 }
  const most = { energy: 0, tonal: 0, noisy: 0, attacks: 0 }
  const parts: { from: number; energy: number; tonal: number; noisy: number; attacks: number }[] = []
  // starts lie at even steps of the source, since that is where its traits are known
  for (let n = 0; n < traits.length; n++) {
    const from = Math.max(0, Math.floor(map.outputAt(asSource(n * step))))
    if (from + length > map.outputFrames) break
    const end = map.sourceAt(asOutput(from + length))
    const part = { from, energy: 0, tonal: 0, noisy: 0, attacks: 0 }
    for (let m = n; m < traits.length && m * step < end; m++) {
      const sum = traits[m] as (typeof traits)[number]
      part.energy += sum.energy
      part.tonal += sum.tonal
      part.noisy += sum.noisy
    }
    for (const attack of attacks)
      if (attack > n * step + 0.05 * sampleRate && attack < end - 0.1 * sampleRate) part.attacks++
    parts.push(part)
    most.energy = Math.max(most.energy, part.energy)
    most.tonal = Math.max(most.tonal, part.tonal)
    most.noisy = Math.max(most.noisy, part.noisy)
    most.attacks = Math.max(most.attacks, Math.min(ENOUGH_ATTACKS, part.attacks))
  }
  const share = (value: number, of: number) => (of > 0 ? value / of : 0)
  for (const part of parts) {
    const score =
      2 * share(Math.min(ENOUGH_ATTACKS, part.attacks), most.attacks) +
      share(part.tonal, most.tonal) +
      share(part.noisy, most.noisy) +
      share(part.energy, most.energy)
    if (score > best.score + 1e-9) Object.assign(best, { from: part.from, score })
  }
  return { from: best.from, to: best.from + length }
}

const stepFrames = ({ sampleRate }: SoundSource) => Math.round(STEP_SECONDS * sampleRate)

/** Of each step of a source: loudness-like energy, shared out between what is tonal and what is noise. */
export type Traits = readonly { readonly energy: number; readonly tonal: number; readonly noisy: number }[]

export function traitsOf(source: SoundSource): Traits {
  const step = stepFrames(source)
  const mix = mixedSource(source)
  const fft = complexFft(SIZE)
  const window = hann(SIZE)
  const packed = fft.create()
  const spectrum = fft.create()
  const traits: { energy: number; tonal: number; noisy: number }[] = []
  for (let at = 0; at < mix.frames; at += step) {
    const { start, audio } = partAround(mix, at + (step >> 2), at + (step >> 1) + SIZE)
    const samples = audio.channels[0] as Float32Array
    packFrames(packed, window, samples, at + (step >> 2) - start, samples, at + (step >> 1) - start)
    fft.forward(spectrum, packed)
    let sum = 0
    let logs = 0
    for (let k = 8; k < SIZE / 2; k++) {
      const power = square(spectrum[2 * k] as number) + square(spectrum[2 * k + 1] as number) + 1e-12
      sum += power
      logs += Math.log(power)
    }
    const flatness = Math.exp(logs / (SIZE / 2 - 8)) / (sum / (SIZE / 2 - 8))
    const energy = sum ** 0.3
    traits.push({ energy, tonal: energy * (1 - flatness), noisy: energy * flatness })
  }
  return traits
}
