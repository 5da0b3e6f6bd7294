import { type Channels, silence } from '../audio/block'
import { createSincReader } from '../dsp/sinc'
import type { Voice } from '../methods/method'

/** Rates that a file can be written at, Hz. */
export const RATE_RANGE = { min: 8000, max: 384_000 } as const

/** zero crossings of the kernel: flat to 0.85 of the lower Nyquist */
const WIDTH = 96

/** How many frames a result has at another rate. */
export const framesAtRate = (frames: number, sampleRate: number, rate: number) =>
  rate === sampleRate ? frames : Math.max(1, Math.round((frames * rate) / sampleRate))

/**
 * A result read at another rate, band-limited.
 * Reading on reads the result on: a method that carries state never starts afresh. Only a step back is a seek.
 * Units  `result.frames` at `result.sampleRate` Hz; the frames of what is returned are at `rate` Hz.
 * @throws {RangeError} if the rate is out of `RATE_RANGE`.
 */
export function atRate(
  result: {
    readonly voice: Voice
    readonly channelCount: number
    readonly frames: number
    readonly sampleRate: number
  },
  rate: number,
): Voice {
  const { voice, channelCount, frames, sampleRate } = result
  if (rate === sampleRate) return voice
  if (!(rate >= RATE_RANGE.min && rate <= RATE_RANGE.max))
    throw new RangeError(`atRate: rate must be ${RATE_RANGE.min}..${RATE_RANGE.max} Hz, got ${rate}`)
  const speed = sampleRate / rate
  const reader = createSincReader(WIDTH, speed)
  const reach = reader.reachFrames + 1
  // what was read last, from frame `start` up to frame `end` of the result
  let held: Channels = silence(channelCount, 0)
  let start = 0
  let end = 0
  /** Have the frames from `from` up to `to`; what was read before is kept as far as it is needed. */
  const hold = (from: number, to: number) => {
    if (from < start || from > end) {
      start = from
      end = from
    }
    const next = silence(channelCount, to - from)
    const kept = Math.max(0, end - from)
    next.forEach((channel, c) => {
      if (kept > 0) channel.set((held[c] as Float32Array).subarray(from - start, from - start + kept))
    })
    if (to > end)
      voice.read(
        from + kept,
        next.map((channel) => channel.subarray(kept)),
      )
    held = next
    start = from
    end = to
  }
  return {
    read(outputFrame, out) {
      const count = out[0]?.length ?? 0
      const first = outputFrame * speed
      const last = (outputFrame + count - 1) * speed
      const from = Math.max(0, Math.min(frames, Math.floor(first) - reach))
      hold(from, Math.max(end, from, Math.min(frames, Math.ceil(last) + reach)))
      const positions = Float64Array.from({ length: count }, (_, i) => (outputFrame + i) * speed - from)
      reader.readManyInto(held, positions, count, out, 0)
    },
  }
}
