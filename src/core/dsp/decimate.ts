import { partAround, type SoundSource, soundSource } from '../audio/soundSource'
import { finish, type Task } from '../task'
import { createSincReader } from './sinc'

const WIDTH = 16
const ATTENUATION_DB = 60

/** frames of the result that are made at once */
const AT_ONCE = 1 << 15

/**
 * Every `factor`-th frame of a sound that has been band-limited to what those can carry.
 * Shape  `[⌈frames / factor⌉]`; factor 1 returns the very array.
 * @throws {RangeError} if `factor` is not a whole number from 1 to 8.
 */
export function decimate(samples: Float32Array, factor: number): Float32Array {
  return finish(decimateTask(soundSource({ sampleRate: 1, channels: [samples] }), factor))
}

/** The same of a sound with one channel that is read a part at a time. */
export function* decimateTask(source: SoundSource, factor: number): Task<Float32Array> {
  if (!(Number.isInteger(factor) && factor >= 1 && factor <= 8)) {
    throw new RangeError(`decimate: factor must be a whole number 1..8, got ${factor}`)
  }
  const totalFrames = source.frames
  if (factor === 1) return source.part(0, totalFrames).channels[0] as Float32Array
  const out = new Float32Array(Math.ceil(totalFrames / factor))
  const reader = createSincReader(WIDTH, factor, ATTENUATION_DB)
  const positions = new Float64Array(Math.min(AT_ONCE, out.length))
  for (let first = 0; first < out.length; first += AT_ONCE) {
    const count = Math.min(AT_ONCE, out.length - first)
    const from = first * factor - reader.reachFrames
    const { start, audio } = partAround(source, from, (first + count) * factor + reader.reachFrames)
    for (let i = 0; i < count; i++) positions[i] = (first + i) * factor - start
    reader.readManyInto(audio.channels, positions, count, [out], first)
    yield { doneFrames: Math.min(totalFrames, (first + count) * factor), totalFrames }
  }
  return out
}
