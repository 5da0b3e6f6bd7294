import type { Analysis } from '../analysis/analysis'
import type { AudioBlock, Markers } from '../audio/block'
import { joined } from '../audio/joined'
import type { SampleFormat } from '../audio/sampleFormat'
import { type SoundSource, soundSource } from '../audio/soundSource'
import { createWavWriter } from '../audio/writeWav'
import { AppError } from '../errors'
import type { Task } from '../task'
import { atRate, framesAtRate } from './atRate'
import { mapMarkers, markersAtRate } from './markers'
import { openRendering } from './openVoice'
import { checkedRecipe, type Recipe } from './recipe'
import { readTask } from './renderTask'

/** One of several sounds that were recorded together, and the file it is to become. */
export interface KinOrder {
  readonly sound: AudioBlock | SoundSource
  readonly format: SampleFormat
  readonly markers: Markers
  readonly write: (bytes: Uint8Array<ArrayBuffer>) => void
}

export interface KinFacts {
  readonly frames: number
  readonly clippedSamples: number
  readonly peak: number
}

/**
 * Render sounds that were recorded together as one: every decision that a method makes is made once, for all their
 * channels, so nothing moves between them. Each becomes a file of its own.
 * @param known  of the one that leads: attacks, and pitch where the method asks for it.
 * @throws {AppError} `export/empty`; as `checkRecipe`.
 */
export function* exportKinTask(
  kin: readonly KinOrder[],
  given: Recipe,
  known: Analysis,
  rate?: number,
): Task<readonly KinFacts[]> {
  const recipe = checkedRecipe(given)
  const source = joined(kin.map(({ sound }) => sound))
  const { sampleRate, channelCount } = source
  const { map, voice } = openRendering(source, recipe, known)
  const hz = rate ?? sampleRate
  const frames = framesAtRate(map.outputFrames, sampleRate, hz)
  if (frames < 1) throw new AppError('export/empty', {})
  let from = 0
  const writers = kin.map(({ sound, format, markers, write }) => {
    const own = soundSource(sound).channelCount
    const first = from
    from += own
    const writer = createWavWriter({
      sampleRate: hz,
      channelCount: own,
      frames,
      format,
      markers: markersAtRate(mapMarkers(markers, map, recipe.pitchSemitones), hz / sampleRate),
      dither: 'flat',
      seed: recipe.seed,
    })
    write(writer.header as Uint8Array<ArrayBuffer>)
    return { writer, write, first, end: first + own, peak: 0 }
  })
  yield* readTask(
    atRate({ voice, channelCount, sampleRate }, hz),
    channelCount,
    { from: 0, to: frames },
    (block, count) => {
      for (const one of writers) {
        const channels = block.slice(one.first, one.end)
        for (const channel of channels)
          for (let i = 0; i < count; i++) one.peak = Math.max(one.peak, Math.abs(channel[i] as number))
        one.write(one.writer.encode(channels, count))
      }
    },
  )
  return writers.map(({ writer, write, peak }) => {
    write(writer.footer as Uint8Array<ArrayBuffer>)
    return { frames, clippedSamples: writer.clippedSamples, peak }
  })
}
