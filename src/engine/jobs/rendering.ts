/** Making results: drawn, kept, or written. */

import { createSurvey, exportPieceTask, openRendering, planOf, readTask } from '../../core'
import { runTask } from '../../host/runTask'
import { type Job, type JobResults, KEPT_SECONDS } from '../jobProtocol'
import { inScratch } from '../scratch'
import { sharedSamples } from '../sharedMemory'
import { openSound, soundInMemory } from '../sound'
import type { JobOptions as Options } from './options'
import { sharedFacts, sizeOf } from './surveying'

export async function exportPiece(
  { sound, order, plan, piece, folder }: Extract<Job, { kind: 'exportPiece' }>,
  options: Options,
): Promise<JobResults['exportPiece']> {
  return inScratch(folder, (write) => runTask(exportPieceTask(openSound(sound), order, plan, piece, write), options))
}

export async function render(
  { sound, recipe, analysis = {}, keep }: Extract<Job, { kind: 'render' }>,
  options: Options,
): Promise<JobResults['render']> {
  const frames = planOf(recipe, sound, analysis.attacks).map.outputFrames
  const kept = keep && frames <= KEPT_SECONDS * sound.sampleRate
  const into = kept ? Array.from({ length: sound.channelCount }, () => sharedSamples(frames)) : []
  const survey = await draw({ sound, recipe, analysis, frames, span: { from: 0, to: frames }, into }, options)
  return {
    facts: sharedFacts(survey.finish()),
    result: kept ? soundInMemory({ sampleRate: sound.sampleRate, channels: into }) : undefined,
  }
}

/** Survey a span of a result, and lay its samples where there is room for them. */
export async function draw(
  { sound, recipe, analysis, frames, span, into }: Omit<Extract<Job, { kind: 'renderPiece' }>, 'kind'>,
  options: Options,
) {
  const survey = createSurvey({ ...sizeOf(sound), frames }, span)
  let at = span.from
  const sink = (block: readonly Float32Array[], count: number) => {
    survey.add(block, count)
    into.forEach((channel, c) => {
      channel.set((block[c] as Float32Array).subarray(0, count), at)
    })
    at += count
  }
  const { voice } = openRendering(openSound(sound), recipe, analysis)
  await runTask(readTask(voice, sound.channelCount, span, sink), options)
  return survey
}
