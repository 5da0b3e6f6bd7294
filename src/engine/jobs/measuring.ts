/** Measuring results; what was read of a source is kept for the next one. */

import {
  type Analysis,
  type AudioBlock,
  asShaped,
  frameCount,
  measureSpan,
  planOf,
  type ReadPart,
  readSource,
  type SoundSource,
  type SourceReading,
  shapingKey,
  type Traits,
  type Trial,
  tellingSpan,
  traitsOf,
  trialTask,
} from '../../core'
import { runTask } from '../../host/runTask'
import type { Job } from '../jobProtocol'
import { isInMemory, openSound, type Sound } from '../sound'
import type { JobOptions as Options } from './options'

/** of a sound that stays in its file, no more than this is measured at once */
const MOST_SOURCE_SECONDS = 180

export async function measure(
  { sound, result, recipe, analysis: known, readingKey: soundKey, ...asked }: Extract<Job, { kind: 'measure' }>,
  options: Options,
): Promise<Trial> {
  const { map, stretch } = planOf(recipe, sound, known.attacks)
  const opened = openSound(sound)
  const { source, analysis } = asShaped(opened, known, recipe)
  const readingKey = `${soundKey} ${shapingKey(recipe)}`
  const most = isInMemory(sound) ? asked.seconds : Math.max(1, MOST_SOURCE_SECONDS * stretch)
  const seconds = Math.min(most, asked.seconds)
  const attacks = (analysis.attacks ?? []).map(({ frame }) => frame)
  const span = result
    ? { from: 0, to: map.outputFrames }
    : tellingSpan(source, map, attacks, seconds, keptTraits(readingKey))
  const whole = span.from === 0 && span.to === map.outputFrames
  const reading = whole ? await readingOf(source, readingKey, analysis, options) : undefined
  if (!result) return runTask(trialTask(opened, recipe, span, known, reading, partReader(readingKey)), options)
  const task = measureSpan(source, { audio: allOf(result), from: 0 }, recipe, span, analysis.attacks, reading)
  return { span, measurement: await runTask(task, options) }
}

/** One look at a lane. */
export const look = (
  { sound, look: { recipe, span, brief }, analysis, readingKey }: Extract<Job, { kind: 'look' }>,
  options: Options,
): Promise<Trial> => {
  const readPart = partReader(`${readingKey} ${shapingKey(recipe)}`)
  return runTask(trialTask(openSound(sound), recipe, span, analysis, undefined, readPart, { brief }), options)
}

/** Samples that were kept. */
const allOf = (sound: Sound): AudioBlock => openSound(sound).part(0, sound.frames)

let lastPart: { readonly key: string; readonly reading: SourceReading } | undefined

/** Reads a part of a source; the last one's is kept, since other methods are tried on the same part. */
const partReader = (readingKey: string): ReadPart =>
  function* (source, attacks, start) {
    const key = `${readingKey} ${start} ${frameCount(source)}`
    if (lastPart?.key !== key) {
      lastPart = undefined
      lastPart = { key, reading: yield* readSource(source, attacks) }
    }
    return lastPart.reading
  }

let lastTraits: { readonly key: string; readonly traits: Traits } | undefined

/** What tells which part of a source to try: the last one's is kept, since other methods and values follow. */
const keptTraits = (key: string) => (source: SoundSource) => {
  if (lastTraits?.key !== key) lastTraits = { key, traits: traitsOf(source) }
  return lastTraits.traits
}

let lastReading: { readonly key: string; readonly reading: SourceReading } | undefined

/** What measures need to know of a source: the last one's is kept, since its other results follow. */
async function readingOf(
  source: SoundSource,
  key: string,
  analysis: Analysis,
  options: Options,
): Promise<SourceReading> {
  if (lastReading?.key !== key) {
    lastReading = undefined
    lastReading = { key, reading: await runTask(readSource(source.part(0, source.frames), analysis.attacks), options) }
  }
  return lastReading.reading
}
