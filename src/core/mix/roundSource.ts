import type { Analysis } from '../analysis/analysis'
import { type AudioBlock, silence } from '../audio/block'
import { type SoundSource, soundSource } from '../audio/soundSource'

/** A piece of a source that goes round: before its first frame lies its end, behind its last its beginning. */
export interface RoundSource {
  readonly own: SoundSource
  readonly known: Analysis
  /** the frame of the source that its first one is; below 0 where the piece begins at the source's start */
  readonly start: number
}

/** what lies around a round, s: as much as any method looks around a moment */
const MARGIN_SECONDS = 0.5

const made = new WeakMap<SoundSource, Map<string, { readonly of: Analysis; readonly round: RoundSource }>>()

/**
 * A piece of a source, going round, with what is known of it. The same one for the same piece.
 * @param bounds  seconds of the source; what lies behind the source's end is silent.
 */
export function roundSource(
  source: SoundSource,
  known: Analysis,
  bounds: { readonly start: number; readonly end: number },
): RoundSource {
  const { sampleRate } = source
  const first = Math.round(bounds.start * sampleRate)
  const length = Math.max(1, Math.round((bounds.end - bounds.start) * sampleRate))
  const kept = made.get(source) ?? new Map()
  made.set(source, kept)
  const key = `${first} ${length}`
  const there = kept.get(key)
  if (there?.of === known) return there.round
  const margin = Math.round(MARGIN_SECONDS * sampleRate)
  const frames = length + 2 * margin
  /** Frames of the round, run by run: where each lies in the block, and in the source. */
  function part(start: number, end: number): AudioBlock {
    const channels = silence(source.channelCount, end - start)
    for (let at = start; at < end; ) {
      const inRound = modulo(at - margin, length)
      const count = Math.min(end - at, length - inRound)
      const from = Math.max(0, Math.min(source.frames, first + inRound))
      const to = Math.max(from, Math.min(source.frames, first + inRound + count))
      const run = source.part(from, to)
      channels.forEach((channel, c) => {
        channel.set(run.channels[c] as Float32Array, at - start + from - first - inRound)
      })
      at += count
    }
    return { sampleRate, channels }
  }
  const { ahead } = source
  // up to where the round begins again
  const readAhead = (start: number, end: number) => {
    const inRound = modulo(start - margin, length)
    const from = Math.max(0, first + inRound)
    const to = Math.max(from, Math.min(source.frames, first + Math.min(length, inRound + end - start)))
    const there = ahead?.(from, to) ?? 0
    return there === to - from ? end - start : there
  }
  const { channelCount } = source
  // a short one lies in memory; what would have to be read from a file is read where it is asked for
  const own: SoundSource = source.slow
    ? { sampleRate, channelCount, frames, slow: true, part, ...(ahead && { ahead: readAhead }) }
    : soundSource(part(0, frames))
  const start = first - margin
  const { kin } = source
  const roundOf = (one: SoundSource) => roundSource(one, known, bounds).own
  const round = {
    own: kin ? { ...own, kin: { ...kin, all: roundOf(kin.all), lead: roundOf(kin.lead) } } : own,
    known: around(known, start, frames, first, length),
    start,
  }
  kept.set(key, { of: known, round })
  return round
}

const modulo = (value: number, by: number) => ((value % by) + by) % by

/** What is known of the source, where it lies in the round. */
function around(
  { attacks, pitch, focus }: Analysis,
  start: number,
  frames: number,
  first: number,
  length: number,
): Analysis {
  const own = (attacks ?? []).filter(({ frame }) => frame >= first && frame < first + length)
  const rounds = [...Array(Math.ceil(frames / length) + 2).keys()].map(
    (n) => n - Math.ceil((first - start) / length) - 1,
  )
  return {
    ...(attacks && {
      attacks: rounds
        .flatMap((n) => own.map((attack) => ({ ...attack, frame: attack.frame - start + n * length })))
        .filter(({ frame }) => frame >= 0 && frame < frames)
        .sort((a, b) => a.frame - b.frame),
    }),
    ...(pitch && { pitch: pitchAround(pitch, start, frames, first, length) }),
    ...(focus && { focus }),
  }
}

function pitchAround(
  { hopFrames, hz, clarity }: NonNullable<Analysis['pitch']>,
  start: number,
  frames: number,
  first: number,
  length: number,
) {
  const steps = Math.ceil(frames / hopFrames) + 1
  const read = (values: Float32Array) =>
    Float32Array.from({ length: steps }, (_, n) => {
      const frame = first + modulo(n * hopFrames + start - first, length)
      return values[Math.round(frame / hopFrames)] ?? 0
    })
  return { hopFrames, hz: read(hz as Float32Array), clarity: read(clarity as Float32Array) }
}
