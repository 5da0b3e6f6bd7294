import type { AudioBlock } from '../audio/block'
import { complexFft } from '../dsp/fft'
import { hann } from '../dsp/window'

const SIZES = [512, 2048, 8192] as const
const BANDS_PER_OCTAVE = [3, 6, 24] as const
/** what lies this far below the loudest cell of the ideal is not heard beside it, dB */
const GATE_DB = 60

/**
 * How far a result is from its ideal, dB: mean distance of their log spectra in bands, over three resolutions and all
 * channels. Magnitudes only, so phases do not count; windows from 11 ms up, so shifts well below a millisecond do not
 * either. Cells in which both lie below the gate do not count; a level below it counts as the gate.
 * Shape  both of one rate and one channel count; the shorter one is filled up with silence.
 * @param looksAt  whether the column whose middle lies at a time, in seconds, counts; all do, where it is not said.
 * @returns 0 where no cell counts.
 */
export function spectralDistance(
  result: AudioBlock,
  ideal: AudioBlock,
  looksAt: (seconds: number) => boolean = () => true,
): number {
  let sum = 0
  let weight = 0
  SIZES.forEach((size, n) => {
    for (let c = 0; c < ideal.channels.length; c++) {
      const a = bandLevels(result.channels[c] as Float32Array, ideal.sampleRate, size, BANDS_PER_OCTAVE[n] as number)
      const b = bandLevels(ideal.channels[c] as Float32Array, ideal.sampleRate, size, BANDS_PER_OCTAVE[n] as number)
      let top = Number.NEGATIVE_INFINITY
      for (const column of b) for (const level of column) top = Math.max(top, level)
      const gate = top - GATE_DB
      let cells = 0
      let apart = 0
      for (let t = 0; t < Math.max(a.length, b.length); t++) {
        if (!looksAt((t * size) / 2 / ideal.sampleRate)) continue
        const bands = (b[t] ?? a[t])?.length ?? 0
        for (let k = 0; k < bands; k++) {
          const x = Math.max(gate, a[t]?.[k] ?? gate)
          const y = Math.max(gate, b[t]?.[k] ?? gate)
          if (x === gate && y === gate) continue
          apart += Math.abs(x - y)
          cells++
        }
      }
      if (cells === 0) continue
      sum += apart / cells
      weight++
    }
  })
  return weight === 0 ? 0 : sum / weight
}

/** Levels in dB, column by column, in bands that are at least one bin wide. */
function bandLevels(samples: Float32Array, sampleRate: number, size: number, perOctave: number): Float64Array[] {
  const fft = complexFft(size)
  const window = hann(size)
  const packed = fft.create()
  const spectrum = fft.create()
  const edges: number[] = []
  for (let hz = 50; hz < Math.min(16_000, sampleRate * 0.45); hz *= 2 ** (1 / perOctave)) {
    const bin = Math.round((hz * size) / sampleRate)
    if (bin > (edges.at(-1) ?? 0)) edges.push(bin)
  }
  const hop = size / 2
  const columns: Float64Array[] = []
  // two columns share a transform
  for (let at = -hop; at < samples.length; at += 2 * hop) {
    for (let i = 0; i < size; i++) {
      const w = window[i] as number
      packed[2 * i] = w * (samples[at + i] ?? 0)
      packed[2 * i + 1] = w * (samples[at + hop + i] ?? 0)
    }
    fft.forward(spectrum, packed)
    const pair = [new Float64Array(edges.length - 1), new Float64Array(edges.length - 1)] as const
    for (let band = 0; band + 1 < edges.length; band++) {
      let first = 0
      let second = 0
      for (let k = edges[band] as number; k < (edges[band + 1] as number); k++) {
        const m = size - k
        const pr = spectrum[2 * k] as number
        const pi = spectrum[2 * k + 1] as number
        const qr = spectrum[2 * m] as number
        const qi = spectrum[2 * m + 1] as number
        first += (pr + qr) ** 2 + (pi - qi) ** 2
        second += (pi + qi) ** 2 + (qr - pr) ** 2
      }
      const width = ((edges[band + 1] as number) - (edges[band] as number)) * size * size
      pair[0][band] = 10 * Math.log10(first / width + 1e-20)
      pair[1][band] = 10 * Math.log10(second / width + 1e-20)
    }
    columns.push(...pair)
  }
  return columns
}
