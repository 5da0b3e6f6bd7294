import type { ComplexArray } from './fft'

/** What lies under −200 dB counts as silence, as the kernels have it: numbers without full precision are slow. */
const SILENCE = 1e-10

/**
 * Two real windowed frames as the real and the imaginary part of one complex input, so that one transform serves both.
 * Frames are `window.length` long and may reach beyond their signals, where there is silence; `b` may be left out.
 */
export function packFrames(
  packed: ComplexArray,
  window: Float64Array,
  a: Float32Array,
  aStart: number,
  b: Float32Array | undefined,
  bStart: number,
): void {
  packPart(packed, 0, window, a, aStart)
  if (b) packPart(packed, 1, window, b, bStart)
  else for (let i = 1; i < 2 * window.length; i += 2) packed[i] = 0
}

function packPart(packed: ComplexArray, part: 0 | 1, window: Float64Array, samples: Float32Array, start: number) {
  const size = window.length
  const from = Math.min(size, Math.max(0, -start))
  const to = Math.max(from, Math.min(size, samples.length - start))
  for (let i = 0; i < from; i++) packed[2 * i + part] = 0
  for (let i = from; i < to; i++) {
    const value = samples[start + i] as number
    packed[2 * i + part] = Math.abs(value) < SILENCE ? 0 : (window[i] as number) * value
  }
  for (let i = to; i < size; i++) packed[2 * i + part] = 0
}

/** Add one part of a complex output onto `into`, windowed and scaled. */
export function addFrame(
  into: Float32Array,
  window: Float64Array,
  scale: number,
  frame: ComplexArray,
  part: 0 | 1,
): void {
  const size = window.length
  for (let i = 0; i < size; i++) {
    into[i] = (into[i] as number) + scale * (window[i] as number) * (frame[2 * i + part] as number)
  }
}
