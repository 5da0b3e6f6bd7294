import { exp } from './portable'

/**
 * Split a stretch of sound into bands that sum to it exactly, without delay: each band is the difference of two smooth
 * low passes that run forward and then backward, so nothing is moved in time. Slopes are gentle: 24 dB per octave above,
 * 12 below. Beyond its ends the stretch goes on at the value it has there.
 * @param edges  Hz, rising, between 0 and half the rate.
 * @returns  one stretch for each band, the lowest first: one more than there are edges.
 */
export function splitBands(samples: Float32Array, sampleRate: number, edges: readonly number[]): Float32Array[] {
  const bands: Float32Array[] = []
  let below = new Float32Array(samples.length)
  for (const edge of edges) {
    const pass = lowPassed(samples, 1 - exp((-2 * Math.PI * edge) / sampleRate))
    bands.push(difference(pass, below))
    below = pass
  }
  bands.push(difference(samples, below))
  return bands
}

function difference(a: Float32Array, b: Float32Array): Float32Array {
  const out = new Float32Array(a.length)
  for (let i = 0; i < out.length; i++) out[i] = (a[i] as number) - (b[i] as number)
  return out
}

/** Two poles forward, two backward. */
function lowPassed(samples: Float32Array, share: number): Float32Array<ArrayBuffer> {
  const out = new Float32Array(samples)
  let one = out[0] ?? 0
  let two = one
  for (let i = 0; i < out.length; i++) {
    one += share * ((out[i] as number) - one)
    two += share * (one - two)
    out[i] = two
  }
  one = two
  for (let i = out.length - 1; i >= 0; i--) {
    one += share * ((out[i] as number) - one)
    two += share * (one - two)
    out[i] = two
  }
  return out
}
