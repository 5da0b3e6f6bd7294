/** Reading a sound and looking through it: what it is, its drawing, its level. */

import {
  addLevels,
  createLoudnessMeter,
  createSurvey,
  emptyLevels,
  know,
  type Levels,
  peakOf,
  type SoundSource,
  type SurveyedSound,
  type SurveyPart,
  type Task,
} from '../../core'
import { runTask } from '../../host/runTask'
import type { FileFacts, Job, SoundFacts } from '../jobProtocol'
import { readFile } from '../readFile'
import { sharedCopy } from '../sharedMemory'
import { openSound, type Sound } from '../sound'
import type { JobOptions as Options } from './options'

export const sizeOf = ({ frames, sampleRate, channelCount }: Sound | SoundSource): SurveyedSound => ({
  frames,
  sampleRate,
  channelCount,
})

/** All that there is to know of a listed file. */
export async function gather({ blob, file }: Extract<Job, { kind: 'gather' }>, options: Options): Promise<FileFacts> {
  const { decoded, hash, taggedBpm } = await readFile(blob, file)
  const { sound, container } = decoded
  const source = openSound(sound)
  const { peak, loudness } = levelOf(source)
  const knowledge = await runTask(know(source, { file, ...(taggedBpm !== undefined && { taggedBpm }) }), options)
  const { frames, sampleRate, channelCount: channels } = sound
  return { hash, frames, sampleRate, channels, container, peak, loudness, knowledge }
}

/** Of a long sound an overview is megabytes: the page would stop for a moment to take in a copy. */
export function sharedFacts({ overview, ...rest }: SoundFacts): SoundFacts {
  const { low, high, rms } = overview
  return { ...rest, overview: { ...overview, low: sharedCopy(low), high: sharedCopy(high), rms: sharedCopy(rms) } }
}

export const sharedLevels = (levels: Levels | undefined): Levels | undefined =>
  levels && { ...levels, peaks: sharedCopy(levels.peaks), energies: sharedCopy(levels.energies) }

export function sharedPart({ overview, ...rest }: SurveyPart): SurveyPart {
  const { low, high, power } = overview
  return { ...rest, overview: { ...overview, low: sharedCopy(low), high: sharedCopy(high), power: sharedCopy(power) } }
}

const SURVEY_FRAMES = 1 << 16

/** A sound in parts that are read one after the other. */
function* partsOf(
  source: SoundSource,
  frames = SURVEY_FRAMES,
): Generator<{ readonly channels: readonly Float32Array[]; readonly from: number; readonly to: number }> {
  for (let from = 0; from < source.frames; from += frames) {
    const to = Math.min(source.frames, from + frames)
    yield { channels: source.part(from, to).channels, from, to }
  }
}

/** The level of a sound that is not drawn. */
function levelOf(source: SoundSource) {
  const meter = createLoudnessMeter(source.sampleRate, source.channelCount)
  let peak = 0
  for (const { channels } of partsOf(source)) {
    meter.add(channels, channels[0]?.length ?? 0)
    peak = Math.max(peak, peakOf(channels))
  }
  return { peak, loudness: meter.finish() }
}

/** steps of levels that are looked at together */
const STEPS_AT_ONCE = 60

/** How loud a sound is where. */
export function* levelsTask(source: SoundSource): Task<Levels> {
  const levels = emptyLevels(source)
  const step = levels.stepFrames
  for (const { channels, from, to } of partsOf(source, step * STEPS_AT_ONCE)) {
    addLevels(levels, from / step, channels)
    yield { doneFrames: to, totalFrames: source.frames }
  }
  return levels
}

/** @param levels  to be found out along with it, where nobody else may look through the whole sound. */
export function* surveyTask(source: SoundSource, levels?: Levels): Task<SoundFacts> {
  const survey = createSurvey(sizeOf(source))
  const step = levels?.stepFrames ?? 1
  for (const { channels, from, to } of partsOf(source, levels && step * STEPS_AT_ONCE)) {
    survey.add(channels, channels[0]?.length ?? 0)
    if (levels) addLevels(levels, from / step, channels)
    yield { doneFrames: to, totalFrames: source.frames }
  }
  return sharedFacts(survey.finish())
}
