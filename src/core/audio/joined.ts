import type { AudioBlock } from './block'
import { type Levels, type SoundSource, soundSource } from './soundSource'

/** Sounds of one length and rate as one of all their channels: whoever works on it does the same to all. */
export function joined(sounds: readonly (AudioBlock | SoundSource)[]): SoundSource {
  const sources = sounds.map(soundSource)
  const [first] = sources as [SoundSource]
  const { sampleRate, frames } = first
  const slow = sources.some((source) => source.slow)
  const aheads = sources.flatMap(({ ahead }) => (ahead ? [ahead] : []))
  const levels = joinedLevels(sources)
  const channelsOf = (start: number, end: number) => sources.flatMap((source) => source.part(start, end).channels)
  let whole: AudioBlock | undefined
  return {
    sampleRate,
    frames,
    channelCount: sources.reduce((sum, { channelCount }) => sum + channelCount, 0),
    part(start, end) {
      if (slow || start > 0 || end < frames) return { sampleRate, channels: channelsOf(start, end) }
      // what is kept of a sound hangs on its block
      whole ??= { sampleRate, channels: channelsOf(0, frames) }
      return whole
    },
    ...(levels && { levels }),
    ...(slow && { slow }),
    ...(aheads.length > 0 && {
      ahead: (from: number, to: number) => Math.min(...aheads.map((ahead) => ahead(from, to))),
    }),
  }
}

/** One of several sounds that were recorded together, the first of which leads. */
export function amongKin(sources: readonly SoundSource[], own: number): SoundSource {
  const [lead, one] = [sources[0], sources[own]] as [SoundSource, SoundSource]
  const first = sources.slice(0, own).reduce((sum, { channelCount }) => sum + channelCount, 0)
  return { ...one, kin: { all: joined(sources), first, lead } }
}

/** How loud all of them are together; undefined where it is not known of each. */
function joinedLevels(sources: readonly SoundSource[]): Levels | undefined {
  const [first, ...others] = sources.map(({ levels }) => levels)
  if (!first || others.some((own) => own?.stepFrames !== first.stepFrames)) return undefined
  const peaks = first.peaks.slice()
  const energies = first.energies.slice()
  for (const own of others)
    for (let n = 0; n < peaks.length; n++) {
      peaks[n] = Math.max(peaks[n] as number, own?.peaks[n] as number)
      energies[n] = (energies[n] as number) + (own?.energies[n] as number)
    }
  return { stepFrames: first.stepFrames, peaks, energies }
}
