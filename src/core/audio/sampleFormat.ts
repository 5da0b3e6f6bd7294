import { createRandom } from '../dsp/random'

/** How one sample is stored: whole numbers of 16, 24 or 32 bits, or 32-bit float. */
export type SampleFormat = '16' | '24' | '32' | '32f'

export const bytesPerSample: Readonly<Record<SampleFormat, number>> = { '16': 2, '24': 3, '32': 4, '32f': 4 }

/**
 * A writer that turns blocks of float channels into interleaved little-endian bytes.
 *
 * Whole-number formats are scaled by 2^(bits−1), rounded to the nearest and limited to their range, so a value read
 * from a file of that depth returns to the very same bits. `dither` adds triangular noise of ±1 step (two uniform
 * draws, seeded) before rounding, for 16 bits; frames that are digital silence stay silent.
 * Source  Lipshitz, Wannamaker & Vanderkooy 1992, "Quantization and Dither".
 */
export function createQuantiser(format: SampleFormat, options: { dither: boolean; seed: number }) {
  const random = createRandom(options.seed)
  let clipped = 0
  const scale = format === '16' ? 2 ** 15 : format === '24' ? 2 ** 23 : 2 ** 31
  const dither = options.dither && format === '16'

  function quantise(value: number): number {
    let scaled = value * scale
    if (dither && value !== 0) scaled += random() - random()
    const rounded = Math.round(scaled)
    if (rounded > scale - 1) {
      // +1.0 itself lies one step above the range: that is full scale, not an overload
      if (value > 1) clipped++
      return scale - 1
    }
    if (rounded < -scale) {
      clipped++
      return -scale
    }
    return rounded
  }

  return {
    /** samples that had to be limited so far */
    get clipped() {
      return clipped
    },
    /** `channels[c][0…frames)` as interleaved bytes. */
    encode(channels: readonly Float32Array[], frames: number): Uint8Array<ArrayBuffer> {
      const size = bytesPerSample[format]
      const bytes = new Uint8Array(frames * channels.length * size)
      const view = new DataView(bytes.buffer)
      let at = 0
      for (let frame = 0; frame < frames; frame++) {
        for (const channel of channels) {
          const value = channel[frame] as number
          if (format === '32f') view.setFloat32(at, value, true)
          else if (format === '16') view.setInt16(at, quantise(value), true)
          else if (format === '32') view.setInt32(at, quantise(value), true)
          else {
            const whole = quantise(value)
            bytes[at] = whole & 255
            bytes[at + 1] = (whole >> 8) & 255
            bytes[at + 2] = (whole >> 16) & 255
          }
          at += size
        }
      }
      return bytes
    },
  }
}
