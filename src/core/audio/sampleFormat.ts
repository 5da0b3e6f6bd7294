import { createRandom } from '../dsp/random'

/** How one sample is stored: whole numbers of 16, 24 or 32 bits, or 32-bit float. */
export type SampleFormat = '16' | '24' | '32' | '32f'

export const bytesPerSample: Readonly<Record<SampleFormat, number>> = { '16': 2, '24': 3, '32': 4, '32f': 4 }

/** What is added before samples of 16 bits are rounded. Shaped noise lies where the ear is least keen. */
export const DITHERS = ['none', 'flat', 'shaped'] as const
export type Dither = (typeof DITHERS)[number]

/**
 * What of the errors made last is taken off the next sample, the latest first.
 * At low rates noise finds no place out of the way: nothing is taken off there.
 * Around 44.1 and 48 kHz it is the filter of the paper. At higher rates a plain slope moves all of it up.
 * Source  Lipshitz, Vanderkooy & Wannamaker 1991, "Minimally Audible Noise Shaping", the filter of five terms.
 */
function shapeFor(sampleRate: number): readonly number[] {
  if (sampleRate < 40_000) return []
  return sampleRate < 56_000 ? [2.033, -2.165, 1.959, -1.59, 0.6149] : [2, -1]
}

export interface QuantiserOptions {
  readonly dither: Dither
  readonly seed: number
  /** Hz; what shaped dither goes by */
  readonly sampleRate: number
}

/**
 * A writer that turns blocks of float channels into whole numbers, or into interleaved little-endian bytes.
 *
 * Whole-number formats are scaled by 2^(bits−1), rounded to the nearest and limited to their range, so a value read
 * from a file of that depth returns to the very same bits. Dither is triangular noise of ±1 step (two uniform
 * draws, seeded) before rounding, for 16 bits; frames that are digital silence stay silent.
 * Source  Lipshitz, Wannamaker & Vanderkooy 1992, "Quantization and Dither".
 */
export function createQuantiser(format: SampleFormat, options: QuantiserOptions) {
  const random = createRandom(options.seed)
  let clipped = 0
  const scale = format === '16' ? 2 ** 15 : format === '24' ? 2 ** 23 : 2 ** 31
  const dither = format === '16' ? options.dither : 'none'
  const shape = dither === 'shaped' ? shapeFor(options.sampleRate) : []
  const errors: Float64Array[] = []

  function limited(rounded: number, value: number): number {
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

  function quantise(value: number, channel: number): number {
    const scaled = value * scale
    if (dither === 'none' || value === 0) return limited(Math.round(scaled), value)
    if (shape.length === 0) return limited(Math.round(scaled + random() - random()), value)
    errors[channel] ??= new Float64Array(shape.length)
    const past = errors[channel]
    let wanted = scaled
    for (let k = 0; k < shape.length; k++) wanted -= (shape[k] as number) * (past[k] as number)
    const whole = limited(Math.round(wanted + random() - random()), value)
    past.copyWithin(1, 0)
    // what was limited is no noise to be moved
    past[0] = Math.abs(whole - wanted) > MOST_ERROR ? 0 : whole - wanted
    return whole
  }

  return {
    /** samples that had to be limited so far */
    get clipped() {
      return clipped
    },
    /** `channels[c][0…frames)` as interleaved whole numbers; of a whole-number format alone. */
    wholes(channels: readonly Float32Array[], frames: number): Int32Array {
      const wholes = new Int32Array(frames * channels.length)
      let at = 0
      for (let frame = 0; frame < frames; frame++)
        for (let c = 0; c < channels.length; c++)
          wholes[at++] = quantise((channels[c] as Float32Array)[frame] as number, c)
      return wholes
    },
    /** `channels[c][0…frames)` as interleaved bytes. */
    encode(channels: readonly Float32Array[], frames: number): Uint8Array<ArrayBuffer> {
      const size = bytesPerSample[format]
      const bytes = new Uint8Array(frames * channels.length * size)
      const view = new DataView(bytes.buffer)
      let at = 0
      for (let frame = 0; frame < frames; frame++) {
        for (let c = 0; c < channels.length; c++) {
          const value = (channels[c] as Float32Array)[frame] as number
          if (format === '32f') view.setFloat32(at, value, true)
          else if (format === '16') view.setInt16(at, quantise(value, c), true)
          else if (format === '32') view.setInt32(at, quantise(value, c), true)
          else {
            const whole = quantise(value, c)
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

/** rounding and dither come to 1.5 steps at most */
const MOST_ERROR = 2
