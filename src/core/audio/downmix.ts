import type { Channels } from './block'

const DIAGONAL = Math.SQRT1_2

/** Left and right gains of each channel, by the usual order of speakers for that many. */
const layouts: Readonly<Record<number, readonly (readonly [number, number])[]>> = {
  1: [[1, 1]],
  2: [
    [1, 0],
    [0, 1],
  ],
  3: [
    [1, 0],
    [0, 1],
    [DIAGONAL, DIAGONAL],
  ],
  4: [
    [1, 0],
    [0, 1],
    [DIAGONAL, 0],
    [0, DIAGONAL],
  ],
  5: [
    [1, 0],
    [0, 1],
    [DIAGONAL, DIAGONAL],
    [DIAGONAL, 0],
    [0, DIAGONAL],
  ],
  6: [
    [1, 0],
    [0, 1],
    [DIAGONAL, DIAGONAL],
    [0, 0],
    [DIAGONAL, 0],
    [0, DIAGONAL],
  ],
  7: [
    [1, 0],
    [0, 1],
    [DIAGONAL, DIAGONAL],
    [0, 0],
    [DIAGONAL, DIAGONAL],
    [DIAGONAL, 0],
    [0, DIAGONAL],
  ],
  8: [
    [1, 0],
    [0, 1],
    [DIAGONAL, DIAGONAL],
    [0, 0],
    [DIAGONAL, 0],
    [0, DIAGONAL],
    [DIAGONAL, 0],
    [0, DIAGONAL],
  ],
}

/**
 * Any channel count on two speakers. One and two channels pass unchanged; more are folded down, then brought back so
 * that full scale on every channel cannot overload.
 * Source  ITU-R BS.775, the fold-down of 5.1.
 */
export function downmixInto(left: Float32Array, right: Float32Array, channels: Channels): void {
  if (channels.length <= 2) {
    left.set(channels[0] as Float32Array)
    right.set(channels[channels.length - 1] as Float32Array)
    return
  }
  const gains = layouts[channels.length] as readonly (readonly [number, number])[]
  const scale = 1 / gains.reduce((sum, gain) => sum + gain[0], 0)
  left.fill(0)
  right.fill(0)
  channels.forEach((channel, c) => {
    const [gl, gr] = gains[c] as readonly [number, number]
    for (let i = 0; i < left.length; i++) {
      left[i] = (left[i] as number) + scale * gl * (channel[i] as number)
      right[i] = (right[i] as number) + scale * gr * (channel[i] as number)
    }
  })
}
