/** What Play needs of results: parts of them, how they sound, moments, takes and imprints as files. */

import {
  type AudioBlock,
  comingsOf,
  createLoudnessMeter,
  createMixWriter,
  createWavWriter,
  finish,
  imprintFrames,
  imprintTask,
  momentsTask,
  NO_MARKERS,
  openRendering,
  peakOf,
  playedVoice,
  type ReadyInstrument,
  type Recipe,
  readTask,
  readyInstrument,
  type Side,
  type SoundSource,
  shapedFor,
  sideOf,
  silence,
  sourceVoice,
  timbreOf,
  type Voice,
} from '../../core'
import { runTask } from '../../host/runTask'
import type { Job, JobResults } from '../jobProtocol'
import { inScratch } from '../scratch'
import { sharedSamples } from '../sharedMemory'
import { openSound, soundInMemory } from '../sound'
import type { JobOptions as Options } from './options'

const voiceOf = (source: SoundSource, recipe: Recipe | undefined, analysis: Parameters<typeof openRendering>[2]) => {
  if (!recipe) return { voice: sourceVoice(source) as Voice, frames: source.frames }
  const { voice, map } = openRendering(source, recipe, analysis)
  return { voice, frames: map.outputFrames }
}

/** The samples of a part of a result, in memory that all threads see. */
export async function span(
  { sound, recipe, analysis, from, to }: Extract<Job, { kind: 'span' }>,
  options: Options,
): Promise<JobResults['span']> {
  const source = openSound(sound)
  const { voice, frames } = voiceOf(source, recipe, analysis)
  const end = Math.min(frames, to)
  const start = Math.max(0, Math.min(end, from))
  const channels = Array.from({ length: source.channelCount }, () => sharedSamples(end - start))
  let at = 0
  await runTask(
    readTask(voice, source.channelCount, { from: start, to: end }, (block, count) => {
      block.forEach((channel, c) => {
        channels[c]?.set(channel.subarray(0, count), at)
      })
      at += count
    }),
    options,
  )
  return soundInMemory({ sampleRate: source.sampleRate, channels })
}

const LOOK_BINS = 64
/** of a long piece its beginning tells enough */
const MOST_GLANCE_SECONDS = 20

/** How a piece of a result looks and sounds. */
export async function glance(
  { sound, recipe, analysis, from, to }: Extract<Job, { kind: 'glance' }>,
  options: Options,
): Promise<JobResults['glance']> {
  const most = from + MOST_GLANCE_SECONDS * sound.sampleRate
  const held = await span({ kind: 'span', sound, recipe, analysis, from, to: Math.min(to, most) }, options)
  const audio = openSound(held).part(0, held.frames)
  const meter = createLoudnessMeter(audio.sampleRate, audio.channels.length)
  meter.add(audio.channels, held.frames)
  const bins = Math.max(1, Math.min(LOOK_BINS, held.frames))
  const high = Array.from({ length: bins }, (_, n) =>
    peakOf(
      audio.channels.map((channel) =>
        channel.subarray(Math.floor((n * held.frames) / bins), Math.floor(((n + 1) * held.frames) / bins)),
      ),
    ),
  )
  return { high, loudness: meter.finish(), timbre: timbreOf(audio) }
}

/** of a long sound its beginning tells enough */
const MOST_COMINGS_SECONDS = 60

/** How much a sound comes and goes. */
export function comings({ sound }: Extract<Job, { kind: 'comings' }>): JobResults['comings'] {
  const source = openSound(sound)
  return comingsOf(source.part(0, Math.min(source.frames, MOST_COMINGS_SECONDS * source.sampleRate)))
}

/** The moments of a result that differ most from each other, frames of the result. */
export function moments(
  { sound, recipe, analysis, asked }: Extract<Job, { kind: 'moments' }>,
  options: Options,
): Promise<JobResults['moments']> {
  const source = openSound(sound)
  const { voice, frames } = voiceOf(source, recipe, analysis)
  const read = (from: number, to: number): AudioBlock => {
    const channels = silence(source.channelCount, to - from)
    voice.read(from, channels)
    return { sampleRate: source.sampleRate, channels }
  }
  return runTask(momentsTask(read, frames, source.sampleRate, asked), options)
}

/** A take as a file: what was heard while it was played. */
export async function take(
  { sounds, instruments, notes, holds, only, order, folder }: Extract<Job, { kind: 'take' }>,
  options: Options,
): Promise<JobResults['take']> {
  const { blob, facts: frames } = await inScratch(folder, async (write) => {
    const ready = new Map<string, ReadyInstrument>()
    for (const { order: own, sound } of instruments) {
      const given = sounds[sound]
      if (given) ready.set(own.id, finish(readyInstrument(openSound(given.sound), own, given.analysis)))
    }
    const { voice, frames: played } = playedVoice(notes, ready, order.rate, {
      ...(only && { only: new Set(only) }),
      holds: holds.flatMap(({ sound, shaping, ...hold }) => {
        const given = sounds[sound]
        const source = given && openSound(given.sound)
        if (!given || !source || source.slow) return []
        const audio = source.part(0, source.frames)
        return [{ ...hold, audio: shapedFor({ audio, analysis: given.analysis }, shaping).audio }]
      }),
    })
    const to = Math.max(order.to, played)
    const writer = createMixWriter({ ...order, to }, write)
    await runTask(readTask(voice, 2, { from: 0, to }, writer.add), options)
    writer.finish()
    return to
  })
  return { blob, frames }
}

/** One sound shaped by another, as a file. */
export async function imprint(
  { body, rhythm, by, folder }: Extract<Job, { kind: 'imprint' }>,
  options: Options,
): Promise<JobResults['imprint']> {
  const { blob } = await inScratch(folder, async (write) => {
    const sides = [body, rhythm].map(({ sound, recipe, analysis }): Side => {
      const source = openSound(sound)
      if (!recipe) return sideOf(source)
      const { voice, map } = openRendering(source, recipe, analysis)
      return { sampleRate: source.sampleRate, channelCount: source.channelCount, frames: map.outputFrames, voice }
    }) as [Side, Side]
    const frames = imprintFrames(...sides, by)
    const { sampleRate, channelCount } = sides[0]
    const writer = createWavWriter({
      sampleRate,
      channelCount,
      frames,
      format: '32f',
      markers: NO_MARKERS,
      dither: 'none',
      seed: 1,
    })
    write(writer.header as Uint8Array<ArrayBuffer>)
    await runTask(
      imprintTask(...sides, by, (block, count) => {
        write(writer.encode(block, count) as Uint8Array<ArrayBuffer>)
      }),
      options,
    )
    write(writer.footer as Uint8Array<ArrayBuffer>)
  })
  return { blob }
}
