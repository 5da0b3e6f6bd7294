/**
 * What a sine at about `nearHz` in `samples` really is: frequency, amplitude, and the level of all else beside it.
 *
 * A Newton search on the least-squares fit of `a·cos + b·sin` plus a constant, so its precision does not hang on any
 * transform length. `residualDb` is the rest relative to the sine.
 */
export function fitTone(
  samples: Float32Array,
  sampleRate: number,
  nearHz: number,
): { hz: number; amplitude: number; residualDb: number } {
  const power = (hz: number) => project(samples, (2 * Math.PI * hz) / sampleRate)
  let hz = nearHz
  // bracket: the main lobe is 2/T wide; walk to its top, then narrow down by golden section
  const width = sampleRate / samples.length
  let best = power(hz).power
  for (let offset = -4; offset <= 4; offset += 0.25) {
    const candidate = nearHz + offset * width
    const p = power(candidate).power
    if (p > best) {
      best = p
      hz = candidate
    }
  }
  let low = hz - 0.5 * width
  let high = hz + 0.5 * width
  const golden = (Math.sqrt(5) - 1) / 2
  for (let round = 0; round < 50; round++) {
    const a = high - golden * (high - low)
    const b = low + golden * (high - low)
    if (power(a).power > power(b).power) high = b
    else low = a
  }
  hz = (low + high) / 2
  const fit = power(hz)
  return { hz, amplitude: fit.amplitude, residualDb: 10 * Math.log10(Math.max(1e-30, fit.residual / fit.power)) }
}

/** What of samples is a tone of `w` rad a frame, by least squares. Powers are summed over all samples. */
export function project(samples: Float32Array, w: number) {
  let cc = 0
  let ss = 0
  let cs = 0
  let xc = 0
  let xs = 0
  let xx = 0
  for (let i = 0; i < samples.length; i++) {
    const c = Math.cos(w * i)
    const s = Math.sin(w * i)
    const x = samples[i] as number
    cc += c * c
    ss += s * s
    cs += c * s
    xc += x * c
    xs += x * s
    xx += x * x
  }
  const det = cc * ss - cs * cs
  const a = (xc * ss - xs * cs) / det
  const b = (xs * cc - xc * cs) / det
  const power = a * xc + b * xs
  return { power, amplitude: Math.hypot(a, b), residual: Math.max(0, xx - power) }
}

export function cents(hz: number, reference: number): number {
  return 1200 * Math.log2(hz / reference)
}

export function rms(samples: Float32Array): number {
  let sum = 0
  for (const value of samples) sum += value * value
  return Math.sqrt(sum / Math.max(1, samples.length))
}
