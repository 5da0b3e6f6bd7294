import type { Levels, SoundSource } from './soundSource'

const STEP_SECONDS = 0.025
/** steps that are looked at together */
const AT_ONCE = 40

export function emptyLevels({ frames, sampleRate }: Pick<SoundSource, 'frames' | 'sampleRate'>): Levels {
  const stepFrames = Math.max(1, Math.round(STEP_SECONDS * sampleRate))
  const steps = Math.floor(frames / stepFrames)
  return {
    stepFrames,
    peaks: new Float32Array(steps).fill(Number.NaN),
    energies: new Float32Array(steps).fill(Number.NaN),
  }
}

/** Look at channels that begin with a step, at all of their whole steps. */
export function addLevels(
  { stepFrames, peaks, energies }: Levels,
  firstStep: number,
  channels: readonly Float32Array[],
): void {
  const count = Math.floor((channels[0]?.length ?? 0) / stepFrames)
  for (let n = 0; n < count; n++) {
    let peak = 0
    let energy = 0
    for (const channel of channels) {
      for (let i = n * stepFrames; i < (n + 1) * stepFrames; i++) {
        const value = channel[i] as number
        energy += value * value
        peak = Math.max(peak, Math.abs(value))
      }
    }
    peaks[firstStep + n] = peak
    energies[firstStep + n] = energy
  }
}

const looked = new WeakMap<SoundSource, Levels>()

/** The levels of a source, known at least for the steps from `first` up to `end`; what nobody has looked at is looked at now. */
export function levelsBetween(source: SoundSource, first: number, end: number): Levels {
  const levels = source.levels ?? looked.get(source) ?? emptyLevels(source)
  if (!source.levels) looked.set(source, levels)
  const { stepFrames, peaks } = levels
  for (let n = first; n < Math.min(end, peaks.length); n++) {
    if (!Number.isNaN(peaks[n])) continue
    const to = Math.min(peaks.length, n + AT_ONCE)
    addLevels(levels, n, source.part(n * stepFrames, to * stepFrames).channels)
  }
  return levels
}
