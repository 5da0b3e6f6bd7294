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

  function limit(rounded: number, value: number): number {
    if (isOver(rounded, value, scale)) clipped++
    return limited(rounded, scale)
  }

  function quantise(value: number, channel: number): number {
    // digital silence stays silent
    if (value === 0) return 0
    const scaled = value * scale
    if (shape.length === 0) return limit(Math.round(scaled + random() - random()), value)
    errors[channel] ??= new Float64Array(shape.length)
    const past = errors[channel]
    let wanted = scaled
    for (let k = 0; k < shape.length; k++) wanted -= (shape[k] as number) * (past[k] as number)
    const whole = limit(Math.round(wanted + random() - random()), value)
    past.copyWithin(1, 0)
    // what was limited is no noise to be moved
    past[0] = Math.abs(whole - wanted) > MOST_ERROR ? 0 : whole - wanted
    return whole
  }

  function wholes(channels: readonly Float32Array[], frames: number): Int32Array {
    const out = new Int32Array(frames * channels.length)
    if (dither === 'none') {
      channels.forEach((channel, c) => {
        clipped += roundInto(out, c, channels.length, channel.subarray(0, frames), scale)
      })
      return out
    }
    // draws follow each other frame by frame
    let at = 0
    for (let frame = 0; frame < frames; frame++)
      for (let c = 0; c < channels.length; c++) out[at++] = quantise((channels[c] as Float32Array)[frame] as number, c)
    return out
  }

  return {
    /** samples that had to be limited so far */
    get clipped() {
      return clipped
    },
    /** `channels[c][0…frames)` as interleaved whole numbers; of a whole-number format alone. */
    wholes,
    /** `channels[c][0…frames)` as interleaved bytes. */
    encode(channels: readonly Float32Array[], frames: number): Uint8Array<ArrayBuffer> {
      const size = bytesPerSample[format]
      const bytes = new Uint8Array(frames * channels.length * size)
      if (format === '32f')
        channels.forEach((channel, c) => {
          floatsInto(new DataView(bytes.buffer), 4 * c, 4 * channels.length, channel.subarray(0, frames))
        })
      else wholesInto(bytes, size, wholes(channels, frames))
      return bytes
    },
  }
}

// loops of their own, without a call for each sample: they run over all that is ever written

/** Rounds samples without dither into every `step`th place of `out` from `first` on; returns how many were too loud. */
function roundInto(out: Int32Array, first: number, step: number, samples: Float32Array, scale: number): number {
  let clipped = 0
  for (let i = 0, at = first; i < samples.length; i++, at += step) {
    const value = samples[i] as number
    // of single precision: half a step is added without rounding, as `Math.round` does, in a third of the time
    const rounded = Math.floor(value * scale + 0.5)
    if (rounded >= -scale && rounded < scale) out[at] = rounded
    else {
      if (isOver(rounded, value, scale)) clipped++
      out[at] = limited(rounded, scale)
    }
  }
  return clipped
}

/** +1.0 itself lies one step above the range: that is full scale, not an overload. */
const isOver = (rounded: number, value: number, scale: number) => (rounded > scale - 1 ? value > 1 : rounded < -scale)

const limited = (rounded: number, scale: number) => Math.max(-scale, Math.min(scale - 1, rounded))

function floatsInto(view: DataView, first: number, step: number, samples: Float32Array) {
  for (let i = 0, at = first; i < samples.length; i++, at += step) view.setFloat32(at, samples[i] as number, true)
}

/** Whole numbers as little-endian bytes, `size` of them each. */
function wholesInto(bytes: Uint8Array<ArrayBuffer>, size: number, wholes: Int32Array) {
  // four numbers of three bytes are three words: written so, they take a quarter of the time
  const together = size === 3 && LITTLE_ENDIAN ? wholes.length & ~3 : 0
  if (together > 0) threesInto(new Int32Array(bytes.buffer, 0, (3 * together) / 4), wholes, together)
  for (let i = together, at = size * together; i < wholes.length; i++, at += size) {
    const whole = wholes[i] as number
    bytes[at] = whole
    bytes[at + 1] = whole >> 8
    if (size > 2) bytes[at + 2] = whole >> 16
    if (size > 3) bytes[at + 3] = whole >> 24
  }
}

const LITTLE_ENDIAN = new Uint8Array(new Uint32Array([1]).buffer)[0] === 1

function threesInto(words: Int32Array, wholes: Int32Array, count: number) {
  for (let i = 0, at = 0; i < count; i += 4, at += 3) {
    const first = (wholes[i] as number) & 0xffffff
    const second = (wholes[i + 1] as number) & 0xffffff
    const third = (wholes[i + 2] as number) & 0xffffff
    words[at] = first | (second << 24)
    words[at + 1] = (second >>> 8) | (third << 16)
    words[at + 2] = (third >>> 16) | ((wholes[i + 3] as number) << 8)
  }
}

/** rounding and dither come to 1.5 steps at most */
const MOST_ERROR = 2
