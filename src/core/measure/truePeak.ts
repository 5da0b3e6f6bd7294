import type { Channels } from '../audio/block'
import { betweenFilters } from '../dsp/betweenFilters'

const PHASES = 4
const TAPS = 12

const filters = betweenFilters(PHASES, TAPS)

/**
 * The highest level that the waveform reaches between its samples, at four times the rate; only near samples that come within
 * 3.5 dB of the largest one, since no peak hides elsewhere that far.
 * Source  ITU-R BS.1770-4 annex 2.
 */
export function truePeakOf(channels: Channels): number {
  let peak = 0
  for (const channel of channels) for (const value of channel) peak = Math.max(peak, Math.abs(value))
  const near = peak * 0.67
  for (const channel of channels) {
    for (let i = 0; i < channel.length; i++) {
      if (Math.abs(channel[i] as number) < near && Math.abs(channel[i + 1] ?? 0) < near) continue
      const first = i - TAPS + 1
      const whole = first >= 0 && first + 2 * TAPS <= channel.length
      for (const taps of filters) {
        const sum = whole ? filtered(taps, channel, first) : filteredAtEnd(taps, channel, first)
        peak = Math.max(peak, Math.abs(sum))
      }
    }
  }
  return peak
}

function filtered(taps: Float64Array, samples: Float32Array, first: number): number {
  let sum = 0
  for (let n = 0; n < 2 * TAPS; n++) sum += (taps[n] as number) * (samples[first + n] as number)
  return sum
}

/** Beyond the ends there is silence. */
function filteredAtEnd(taps: Float64Array, samples: Float32Array, first: number): number {
  let sum = 0
  for (let n = 0; n < 2 * TAPS; n++) sum += (taps[n] as number) * (samples[first + n] ?? 0)
  return sum
}
