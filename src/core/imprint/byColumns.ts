import { silence } from '../audio/block'
import { complexFft, joinRealPair, splitRealPair } from '../dsp/fft'
import type { SegmentMaker } from '../dsp/overlapAdd'
import { nearestPowerOfTwo } from '../dsp/units'
import { hann } from '../dsp/window'
import type { Imprint } from './order'
import { readRound, type Side } from './side'

const OVERLAP = 4

/** Each column of the body times that of the rhythm at the same time: both have to sound for anything to. */
export function byColumns(body: Side, rhythm: Side, { smoothingMs }: Imprint): SegmentMaker {
  const { sampleRate, channelCount } = body
  const own = nearestPowerOfTwo(Math.max(0.02, smoothingMs / 1000) * sampleRate, 256)
  // twice as long as what is multiplied, so that the product does not wrap round
  const length = 2 * own
  const hop = own / OVERLAP
  const fft = complexFft(length)
  const window = hann(own)
  const read = (side: Side, round: boolean) => {
    const block = silence(side.channelCount, own)
    const packed = fft.create()
    const bins = fft.create()
    const spectra = block.map(() => new Float32Array(length + 2))
    const spare = new Float32Array(length + 2)
    return (start: number) => {
      if (round) readRound(side, start, block)
      else side.voice.read(start, block)
      for (let c = 0; c < block.length; c += 2) {
        const [a, b] = [block[c] as Float32Array, block[c + 1]]
        packed.fill(0)
        for (let i = 0; i < own; i++) {
          packed[2 * i] = (window[i] as number) * (a[i] as number)
          packed[2 * i + 1] = b ? (window[i] as number) * (b[i] as number) : 0
        }
        fft.forward(bins, packed)
        splitRealPair(bins, length, spectra[c] as Float32Array, spectra[c + 1] ?? spare)
      }
      return spectra
    }
  }
  const [bodyAt, rhythmAt] = [read(body, false), read(rhythm, true)]
  const product = [new Float32Array(length + 2), new Float32Array(length + 2)] as const
  const packed = fft.create()
  const bins = fft.create()
  return {
    channelCount,
    hop,
    length,
    // the product's energy lies around the middle of its length
    lead: -own,
    reset() {},
    addSegment(k, sum) {
      const start = k * hop - own / 2
      const [a, b] = [bodyAt(start), rhythmAt(start)]
      for (let c = 0; c < channelCount; c += 2) {
        for (const n of [0, 1]) {
          const [x, y] = [a[c + n], b[(c + n) % b.length] as Float32Array]
          const both = product[n] as Float32Array
          if (!x) both.fill(0)
          else
            for (let i = 0; i < length + 2; i += 2) {
              both[i] = (x[i] as number) * (y[i] as number) - (x[i + 1] as number) * (y[i + 1] as number)
              both[i + 1] = (x[i] as number) * (y[i + 1] as number) + (x[i + 1] as number) * (y[i] as number)
            }
        }
        joinRealPair(product[0], product[1], length, bins)
        fft.inverse(packed, bins)
        for (const n of [0, 1]) {
          const out = sum[c + n]
          if (out) for (let i = 0; i < length; i++) out[i] = (out[i] as number) + (packed[2 * i + n] as number)
        }
      }
    },
  }
}
