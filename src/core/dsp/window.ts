import { cosTurns, sinTurns } from './portable'

/**
 * A periodic Hann window, `[frames]`: shifted copies at a hop of frames/2, /3, /4 … add up to a constant.
 * Source  Harris 1978, "On the Use of Windows for Harmonic Analysis with the DFT".
 */
export function hann(frames: number): Float64Array {
  return Float64Array.from({ length: frames }, (_, i) => 0.5 - 0.5 * cosTurns(i / frames))
}

/** Half a sine, `[frames]`: its square is a Hann window, so that what is laid under it adds up in power. */
function sineWindow(frames: number): Float64Array {
  return Float64Array.from({ length: frames }, (_, i) => sinTurns((i + 0.5) / (2 * frames)))
}

export type WindowKind = 'hann' | 'sine'

export const windowOf = (kind: WindowKind, frames: number): Float64Array =>
  kind === 'hann' ? hann(frames) : sineWindow(frames)

/**
 * The modified Bessel function I₀ by its power series, to double precision for the arguments that Kaiser windows use.
 */
function besselI0(x: number): number {
  let sum = 1
  let term = 1
  for (let k = 1; term > sum * 1e-17; k++) {
    const factor = x / (2 * k)
    term *= factor * factor
    sum += term
  }
  return sum
}

/**
 * The Kaiser window at `x` in −1…1 (0 outside), for a side-lobe level set by `beta`.
 * Source  Kaiser 1974, "Nonrecursive Digital Filter Design Using the I0-sinh Window Function".
 */
export function kaiser(x: number, beta: number): number {
  if (Math.abs(x) > 1) return 0
  return besselI0(beta * Math.sqrt(1 - x * x)) / besselI0(beta)
}

/** Kaiser's beta for a stop-band `attenuationDb` down (his eq. for more than 50 dB). */
export function kaiserBeta(attenuationDb: number): number {
  return 0.1102 * (attenuationDb - 8.7)
}
