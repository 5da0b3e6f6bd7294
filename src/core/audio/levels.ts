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

/** The whole steps of a source's levels between two of its frames, the end exclusive. */
export function stepsWithin(source: SoundSource, from: number, to: number): readonly [first: number, end: number] {
  const { stepFrames, peaks } = levelsBetween(source, 0, 0)
  return [Math.ceil(from / stepFrames), Math.min(peaks.length, Math.floor(to / stepFrames))]
}

/** The middles, in frames, of the places between two steps that stay at a level or below for so many steps. */
export function* silentPlaces(
  source: SoundSource,
  [first, end]: readonly [number, number],
  { steps, level }: { readonly steps: number; readonly level: number },
): Generator<number, void> {
  for (let n = first; n + steps <= end; n++) {
    const { peaks, stepFrames } = levelsBetween(source, n, n + steps)
    if (peaks.subarray(n, n + steps).every((peak) => peak <= level)) yield (n + steps / 2) * stepFrames
  }
}

/** The middle, in frames, of the quietest so many steps between two. */
export function quietestPlace(source: SoundSource, [first, end]: readonly [number, number], steps: number): number {
  const { energies, stepFrames } = levelsBetween(source, first, end)
  let best = (first + end) / 2
  let least = Number.POSITIVE_INFINITY
  for (let n = first; n + steps <= end; n++) {
    const energy = energies.subarray(n, n + steps).reduce((sum, value) => sum + value, 0)
    if (energy < least) {
      least = energy
      best = n + steps / 2
    }
  }
  return best * stepFrames
}
