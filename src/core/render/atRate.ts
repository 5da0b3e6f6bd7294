import { createSincReader } from '../dsp/sinc'
import type { Voice } from '../methods/method'
import { readBack } from '../methods/readBack'

/** Rates that a file can be written at, Hz. */
export const RATE_RANGE = { min: 8000, max: 384_000 } as const

/** zero crossings of the kernel, and what it keeps out: flat to 0.9 of the lower Nyquist, nothing passes above it */
const WIDTH = 184
const ATTENUATION_DB = 132

/** How many frames a result has at another rate. */
export const framesAtRate = (frames: number, sampleRate: number, rate: number) =>
  rate === sampleRate ? frames : Math.max(1, Math.round((frames * rate) / sampleRate))

/**
 * A result read at another rate, band-limited.
 * Reading on reads the result on: a method that carries state never starts afresh. Only a step back is a seek.
 * The voice is asked for frames before its first and behind its last as well, and gives silence there.
 * Units  the voice's frames are at `result.sampleRate` Hz, those of what is returned at `rate` Hz.
 * @throws {RangeError} if the rate is out of `RATE_RANGE`.
 */
export function atRate(
  result: { readonly voice: Voice; readonly channelCount: number; readonly sampleRate: number },
  rate: number,
): Voice {
  const { voice, channelCount, sampleRate } = result
  if (rate === sampleRate) return voice
  if (!(rate >= RATE_RANGE.min && rate <= RATE_RANGE.max))
    throw new RangeError(`atRate: rate must be ${RATE_RANGE.min}..${RATE_RANGE.max} Hz, got ${rate}`)
  const speed = sampleRate / rate
  const reader = createSincReader(WIDTH, speed, ATTENUATION_DB, true)
  return readBack(voice, channelCount, {
    reach: reader.reachFrames,
    mostRatio: speed,
    positionAt: (frame) => frame * speed,
    readerAt: () => reader,
  })
}
