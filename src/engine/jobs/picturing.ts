/** Spectrograms and clips of a sound or a result. */

import {
  type AudioBlock,
  createOverviewBuilder,
  frameCount,
  openRendering,
  type Rendering,
  renderSpan,
  type Spectrogram,
  silence,
  sourceVoice,
  spectrogramTask,
  writeWav,
} from '../../core'
import { runTask } from '../../host/runTask'
import type { Job, JobResults } from '../jobProtocol'
import { openSound } from '../sound'
import type { JobOptions as Options } from './options'

const CLIP_FADE_SECONDS = 0.005

export async function clip(
  { sound, recipe, analysis, from, to, gain }: Extract<Job, { kind: 'clip' }>,
  options: Options,
): Promise<JobResults['clip']> {
  const source = openSound(sound)
  const part = recipe
    ? await runTask(renderSpan(source, recipe, { from, to }, analysis), options)
    : copyOf(source.part(from, to))
  const frames = frameCount(part)
  const fade = Math.max(1, Math.min(Math.round(CLIP_FADE_SECONDS * sound.sampleRate), frames >> 1))
  for (const channel of part.channels) {
    for (let i = 0; i < frames; i++)
      channel[i] = (channel[i] as number) * gain * Math.min(1, (i + 1) / fade, (frames - i) / fade)
  }
  const overview = createOverviewBuilder(frames)
  overview.add(part.channels, frames)
  const bytes = writeWav(part, { format: '16', dither: 'flat', seed: 1 })
  return { blob: new Blob([bytes], { type: 'audio/wav' }), overview: overview.finish() }
}

const copyOf = ({ sampleRate, channels }: AudioBlock): AudioBlock => ({
  sampleRate,
  channels: channels.map((channel) => channel.slice()),
})

const openedVoice = ({ voice, map }: Rendering) => ({ voice, frames: map.outputFrames })

/** what lies between two columns is read over when it is shorter than this many windows; beyond that it is skipped */
const READ_OVER_WINDOWS = 6

export function spectrogram(
  { sound, recipe, analysis, from, to, columns, fftFrames }: Extract<Job, { kind: 'spectrogram' }>,
  options: Options,
): Promise<Spectrogram> {
  const source = openSound(sound)
  const { voice, frames } = recipe
    ? openedVoice(openRendering(source, recipe, analysis))
    : { voice: sourceVoice(source), frames: source.frames }
  /** what lies before the start and beyond the end is silence */
  const readWithin = (frame: number, out: readonly Float32Array[]) => {
    const length = out[0]?.length ?? 0
    const start = Math.min(length, Math.max(0, -frame))
    const end = Math.max(start, Math.min(length, frames - frame))
    for (const channel of out) channel.fill(0)
    if (end > start)
      voice.read(
        frame + start,
        out.map((channel) => channel.subarray(start, end)),
      )
  }
  const hop = (to - from) / columns
  // columns that lie close are cut from what was read once; a voice that carries state is best read on
  const first = Math.round(from + hop / 2) - fftFrames / 2
  const last = Math.round(to - hop / 2) + fftFrames / 2
  const together = hop < READ_OVER_WINDOWS * fftFrames
  const all = together ? silence(source.channelCount, last - first + 1) : []
  let readTo = first
  const read = (frame: number, out: readonly Float32Array[]) => {
    const length = out[0]?.length ?? 0
    if (!together) {
      readWithin(frame, out)
      return
    }
    const upTo = Math.min(last + 1, frame + length)
    if (upTo > readTo) {
      readWithin(
        readTo,
        all.map((channel) => channel.subarray(readTo - first, upTo - first)),
      )
      readTo = upTo
    }
    out.forEach((channel, c) => {
      channel.set((all[c] as Float32Array).subarray(frame - first, frame - first + length))
    })
  }
  const size = { columns, fftFrames, sampleRate: source.sampleRate, channels: source.channelCount }
  return runTask(spectrogramTask(read, { from, to }, size), options)
}
