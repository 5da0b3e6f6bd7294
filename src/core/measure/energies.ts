import { type AudioBlock, frameCount } from '../audio/block'
import { square } from '../dsp/portable'

/** Energy over a span, frames; both are rounded. */
export type EnergyOf = (from: number, to: number) => number

/** Energy of a sound, and of its first difference, which lets an edge stand out of a low bed. */
export interface Energies {
  readonly plain: EnergyOf
  readonly edge: EnergyOf
}

/** From running sums, which are made when one is first asked for. */
export function energiesOf(audio: AudioBlock): Energies {
  const frames = frameCount(audio)
  let made: readonly [Float64Array, Float64Array] | undefined
  const sums = () => {
    made ??= sumsOf(audio.channels, frames)
    return made
  }
  const between = (which: 0 | 1): EnergyOf => {
    const at = (of: Float64Array, frame: number) => of[Math.max(0, Math.min(frames, Math.round(frame)))] as number
    return (from, to) => {
      const of = sums()[which]
      return at(of, to) - at(of, from)
    }
  }
  return { plain: between(0), edge: between(1) }
}

function sumsOf(channels: readonly Float32Array[], frames: number): [Float64Array, Float64Array] {
  const plain = new Float64Array(frames + 1)
  const edge = new Float64Array(frames + 1)
  for (const channel of channels) {
    let before = 0
    let sum = 0
    let edgeSum = 0
    for (let i = 0; i < frames; i++) {
      const value = channel[i] as number
      sum += square(value)
      edgeSum += square(value - before)
      before = value
      plain[i + 1] = (plain[i + 1] as number) + sum
      edge[i + 1] = (edge[i + 1] as number) + edgeSum
    }
  }
  return [plain, edge]
}
