import type { AudioBlock } from '../audio/block'
import { type SoundSource, soundSource } from '../audio/soundSource'
import { square } from '../dsp/portable'
import { finish } from '../task'

/** frames between two breaths of `mixInSteps`: a millisecond or two of work */
const STEP = 1 << 17

/** All channels in one; where they cancel, the first alone. */
export function mixOf(source: AudioBlock): Float32Array {
  return finish(mixInSteps(source))
}

const cancelling = new WeakMap<SoundSource, boolean>()

/** Whether the channels of a sound take most of each other away. Found out once for a source: several analyses ask. */
function cancels(source: SoundSource): boolean {
  const known = cancelling.get(source)
  if (known !== undefined) return known
  let own = 0
  let sum = 0
  for (let from = 0; from < source.frames; from += STEP) {
    const { channels } = source.part(from, Math.min(source.frames, from + STEP))
    own += energyOf(channels[0] as Float32Array)
    sum += energyTogether(channels)
  }
  const found = !(sum > 0.5 * own)
  cancelling.set(source, found)
  return found
}

/** All channels of a part in one, by a rule that is the whole sound's: where all of it cancels, the first alone. */
export function mixReader(source: SoundSource): (part: AudioBlock) => Float32Array {
  if (source.channelCount < 2) return ({ channels }) => channels[0] ?? new Float32Array(0)
  const first = cancels(source)
  return ({ channels }) => (first ? (channels[0] as Float32Array) : sumOf(channels))
}

/** All channels of a sound in one, read a part at a time. */
export function mixedSource(sound: AudioBlock | SoundSource): SoundSource {
  const source = soundSource(sound)
  if (source.channelCount === 1) return source
  const { sampleRate, frames } = source
  const mix = mixReader(source)
  const part = (from: number, to: number) => ({ sampleRate, channels: [mix(source.part(from, to))] })
  return { sampleRate, channelCount: 1, frames, part }
}

function sumOf(channels: readonly Float32Array[]): Float32Array {
  const mix = channels[0]?.slice() ?? new Float32Array(0)
  for (const channel of channels.slice(1)) addTo(mix, channel)
  return mix
}

/** As `mixOf`, in small steps: for threads that may not be held up. */
export function* mixInSteps(source: AudioBlock): Generator<void, Float32Array, void> {
  const [first] = source.channels
  if (!first) return new Float32Array(0)
  if (source.channels.length === 1) return first
  const mix = new Float32Array(first.length)
  let own = 0
  let sum = 0
  for (let from = 0; from < mix.length; from += STEP) {
    const part = mix.subarray(from, from + STEP)
    for (const channel of source.channels) addTo(part, channel.subarray(from, from + STEP))
    own += energyOf(first.subarray(from, from + STEP))
    sum += energyOf(part)
    yield
  }
  return sum > 0.5 * own ? mix : first
}

// loops of their own: inside a generator they would stay slow
function addTo(mix: Float32Array, channel: Float32Array) {
  for (let i = 0; i < mix.length; i++) mix[i] = (mix[i] as number) + (channel[i] as number)
}

/** Of the sum of all channels. */
function energyTogether(channels: readonly Float32Array[]): number {
  const [first, second] = channels as [Float32Array, Float32Array]
  if (channels.length > 2) return energyOf(sumOf(channels))
  let sum = 0
  for (let i = 0; i < first.length; i++) sum += square((first[i] as number) + (second[i] as number))
  return sum
}

function energyOf(samples: Float32Array): number {
  let sum = 0
  for (let i = 0; i < samples.length; i++) sum += square(samples[i] as number)
  return sum
}
