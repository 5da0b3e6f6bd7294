import type { Channels } from '../audio/block'
import { betweenFilters } from '../dsp/betweenFilters'

/** points between two samples, and samples on either side that each is made of */
const PHASES = 8
const TAPS = 32
/** what reaches over a level between samples has one of the nearest four above this share of it */
const NEAR = 0.5
const RUN = 16

const filters = betweenFilters(PHASES, TAPS)

/** samples around a frame that its highest level hangs on */
export const REACH = TAPS + RUN

/**
 * The highest level near each frame, between it and its neighbours too, at eight times the rate, over all channels.
 * Where nothing near comes to half of `least`, it is the sample's own.
 * Shape   `out[n]` belongs to frame `from + n` of the channels; outside them there is silence.
 * Source  ITU-R BS.1770-4 annex 2, with more points and a longer filter.
 */
export function levelsBetween(channels: Channels, from: number, out: Float64Array, least: number) {
  out.fill(0)
  for (const samples of channels) {
    const at = (i: number) => samples[i] ?? 0
    for (let start = 0; start < out.length; start += RUN) {
      const end = Math.min(out.length, start + RUN)
      let most = 0
      for (let i = Math.max(0, from + start - TAPS); i < Math.min(samples.length, from + end + TAPS); i++)
        most = Math.max(most, Math.abs(samples[i] as number))
      for (let n = start; n < end; n++) out[n] = Math.max(out[n] as number, Math.abs(at(from + n)))
      if (most < least * NEAR) continue
      // between the frame before this run and each of its frames
      for (let n = start - 1; n < end; n++) {
        const i = from + n
        if (Math.max(Math.abs(at(i - 1)), Math.abs(at(i)), Math.abs(at(i + 1)), Math.abs(at(i + 2))) < least * NEAR)
          continue
        const first = i - TAPS + 1
        const whole = first >= 0 && first + 2 * TAPS <= samples.length
        let peak = 0
        for (const taps of filters) {
          let sum = 0
          if (whole) for (let k = 0; k < 2 * TAPS; k++) sum += (taps[k] as number) * (samples[first + k] as number)
          else for (let k = 0; k < 2 * TAPS; k++) sum += (taps[k] as number) * at(first + k)
          peak = Math.max(peak, Math.abs(sum))
        }
        if (n >= 0) out[n] = Math.max(out[n] as number, peak)
        if (n + 1 < end) out[n + 1] = Math.max(out[n + 1] as number, peak)
      }
    }
  }
}
