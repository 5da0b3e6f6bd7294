import { mixOf } from '../analysis/mix'
import type { AudioBlock } from '../audio/block'
import { complexFft, joinRealPair, splitRealPair } from '../dsp/fft'
import { nearestPowerOfTwo } from '../dsp/units'

/** how long a piece is, and from how far on to how far on it is looked for again, seconds */
const PIECE_SECONDS = 0.016
const LEAST_LAG_SECONDS = 0.006
const MOST_LAG_SECONDS = 0.15

/**
 * Tells how much of a moment of a sound is heard again within 0.15 s, 0 to 1: the largest normalised correlation of a
 * piece of it with what follows, squared. Noise never comes again; pieces of noise laid beside themselves do.
 * @returns undefined in silence and at the end.
 */
export function createSelfLikeness(audio: AudioBlock): (frame: number) => number | undefined {
  const { sampleRate } = audio
  const samples = mixOf(audio)
  const piece = nearestPowerOfTwo(PIECE_SECONDS * sampleRate, 64)
  const first = Math.round(LEAST_LAG_SECONDS * sampleRate)
  const last = Math.round(MOST_LAG_SECONDS * sampleRate)
  const size = 2 ** Math.ceil(Math.log2(last + 2 * piece))
  const fft = complexFft(size)
  const packed = fft.create()
  const spectrum = fft.create()
  const [pieces, follows, nothing] = [0, 1, 2].map(() => new Float32Array(size + 2)) as [
    Float32Array,
    Float32Array,
    Float32Array,
  ]
  return (frame) => {
    const start = Math.round(frame)
    if (start < 0 || start + last + piece > samples.length) return undefined
    // the piece as real part, what follows as imaginary part: one transform gives both
    packed.fill(0)
    let own = 0
    for (let i = 0; i < piece; i++) {
      packed[2 * i] = samples[start + i] as number
      own += (samples[start + i] as number) ** 2
    }
    for (let i = 0; i < last + piece; i++) packed[2 * i + 1] = samples[start + i] as number
    if (own <= 1e-12) return undefined
    fft.forward(spectrum, packed)
    splitRealPair(spectrum, size, pieces, follows)
    for (let k = 0; k <= size; k += 2) {
      const ar = pieces[k] as number
      const ai = pieces[k + 1] as number
      const br = follows[k] as number
      const bi = follows[k + 1] as number
      pieces[k] = ar * br + ai * bi
      pieces[k + 1] = ar * bi - ai * br
    }
    joinRealPair(pieces, nothing, size, packed)
    fft.inverse(spectrum, packed)
    let energy = 0
    for (let i = first; i < first + piece; i++) energy += (samples[start + i] as number) ** 2
    let most = 0
    for (let lag = first; lag < last; lag++) {
      const product = spectrum[2 * lag] as number
      if (energy > 0.05 * own && product > 0) most = Math.max(most, (product * product) / (own * energy))
      energy += (samples[start + lag + piece] as number) ** 2 - (samples[start + lag] as number) ** 2
    }
    return Math.min(1, most)
  }
}
