import { kaiser, kaiserBeta } from './window'

/**
 * Band-limited reading between samples.
 *
 * A Kaiser-windowed sinc, tabulated phase by phase so that the taps for one position lie side by side; two neighbouring
 * phases are blended linearly. When the reader moves faster than one source frame per output frame, the kernel is
 * widened by that speed, so that nothing above the new Nyquist passes.
 *
 * Figures (width 96): stop-band −110 dB from Nyquist of the slower side on, pass-band flat to 0.85 of it.
 * Source  Smith & Gossett 1984, "A Flexible Sampling-Rate Conversion Method"; Kaiser 1974 for the window.
 */
export interface SincReader {
  /** source frames on either side of a position that the kernel may touch */
  readonly reachFrames: number
  /**
   * Read all channels at the fractional frame `position`; frames outside the arrays count as 0.
   * Shape  `values[c]` receives channel c at offset `at`.
   */
  readInto(channels: readonly Float32Array[], position: number, values: readonly Float32Array[], at: number): void
}

const ATTENUATION_DB = 110
/** table rows per source frame at speed 1: linear blending between rows stays below −118 dB */
const PHASES = 1024

const tables = new Map<string, { rows: Float64Array; phases: number; half: number }>()

/**
 * Units  `width` in zero crossings of the kernel in all (even, 8–256); `speed` in source frames per output frame.
 * @throws {RangeError} if width or speed is out of range.
 */
export function createSincReader(width: number, speed: number): SincReader {
  if (!(width >= 8 && width <= 256)) throw new RangeError(`createSincReader: width must be 8..256, got ${width}`)
  if (!(speed >= 0 && Number.isFinite(speed))) {
    throw new RangeError(`createSincReader: speed must be finite and not negative, got ${speed}`)
  }
  const { rows, phases, half } = tableFor(width, Math.max(1, speed))
  const taps = 2 * half
  const weights = new Float64Array(taps)

  return {
    reachFrames: half,
    readInto(channels, position, values, at) {
      const base = Math.floor(position)
      const row = (position - base) * phases
      const whole = Math.min(phases - 1, Math.floor(row))
      const blend = row - whole
      const offset = whole * taps
      for (let k = 0; k < taps; k++) {
        const low = rows[offset + k] as number
        weights[k] = low + blend * ((rows[offset + taps + k] as number) - low)
      }
      const first = base - half + 1
      for (let c = 0; c < channels.length; c++) {
        const source = channels[c] as Float32Array
        const from = Math.max(0, -first)
        const to = Math.min(taps, source.length - first)
        let sum = 0
        for (let k = from; k < to; k++) sum += (weights[k] as number) * (source[first + k] as number)
        ;(values[c] as Float32Array)[at] = sum
      }
    },
  }
}

const MASTER_STEPS = 4096
const masters = new Map<number, Float64Array>()

/** The right half of the kernel, finely sampled: working out a Bessel function for every tap of every row is slow. */
function masterFor(width: number): Float64Array {
  const known = masters.get(width)
  if (known) return known
  // the transition of a Kaiser design, as a fraction of Nyquist, lies wholly below it: the stop-band starts at Nyquist
  const transition = (ATTENUATION_DB - 8) / (2.285 * Math.PI * width)
  const cutoff = Math.max(0.3, 1 - transition / 2)
  const beta = kaiserBeta(ATTENUATION_DB)
  const master = Float64Array.from({ length: (width / 2) * MASTER_STEPS + 2 }, (_, i) => {
    const distance = i / MASTER_STEPS
    const x = Math.PI * cutoff * distance
    return cutoff * (x === 0 ? 1 : Math.sin(x) / x) * kaiser(distance / (width / 2), beta)
  })
  masters.set(width, master)
  return master
}

function tableFor(width: number, speed: number) {
  const key = `${width} ${speed}`
  const known = tables.get(key)
  if (known) return known
  const master = masterFor(width)
  const half = Math.ceil((width / 2) * speed)
  const phases = Math.max(32, Math.ceil(PHASES / speed))
  const taps = 2 * half
  const rows = new Float64Array((phases + 1) * taps)
  for (let phase = 0; phase <= phases; phase++) {
    let sum = 0
    for (let k = 0; k < taps; k++) {
      const place = (Math.abs(phase / phases - (k - half + 1)) / speed) * MASTER_STEPS
      const i = Math.floor(place)
      if (i > master.length - 2) continue
      const low = master[i] as number
      const value = low + (place - i) * ((master[i + 1] as number) - low)
      rows[phase * taps + k] = value
      sum += value
    }
    // every row passes DC alike: otherwise a constant would ripple at the phase rate
    for (let k = 0; k < taps; k++) rows[phase * taps + k] = (rows[phase * taps + k] as number) / sum
  }
  const table = { rows, phases, half }
  // speeds come from sliders: keep the few last used, not every one ever seen
  if (tables.size > 24) tables.delete(tables.keys().next().value as string)
  tables.set(key, table)
  return table
}
