/** Memory that all threads see: what lies there is handed on without being copied. */

export const sharedSamples = (frames: number) => new Float32Array(new SharedArrayBuffer(4 * frames))

/** The samples in such memory; the very ones, where they lie there already. */
export function sharedCopy(samples: Float32Array): Float32Array {
  if (samples.buffer instanceof SharedArrayBuffer) return samples
  const copy = sharedSamples(samples.length)
  copy.set(samples)
  return copy
}
