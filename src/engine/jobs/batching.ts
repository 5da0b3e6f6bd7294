/** One file of a batch: read, made, put into a file, measured. */

import {
  analyseTask,
  containers,
  dbToAmplitude,
  draftDepth,
  exportTask,
  harmTask,
  isPlain,
  leastHarmTask,
  NO_MARKERS,
  needsOf,
} from '../../core'
import { openDelivery } from '../../host/encode/delivering'
import { runTask } from '../../host/runTask'
import { deliveryOfSettings, depthOf } from '../../session'
import type { BatchMade, Job } from '../jobProtocol'
import { readSound } from '../readFile'
import { inScratch } from '../scratch'
import { bytesOf, openSound } from '../sound'
import type { JobOptions as Options } from './options'

export async function batchFile(
  { blob, file, advised, settings, tags, ...job }: Extract<Job, { kind: 'batchFile' }>,
  options: Options,
): Promise<BatchMade> {
  const { sound, depth, markers } = await readSound(blob, file)
  const source = openSound(sound)
  const first = { recipe: job.recipe, known: { attacks: job.attacks } }
  const { recipe, ...found } = advised
    ? await runTask(leastHarmTask(source, first.recipe, first.known), options)
    : first
  const known = await runTask(analyseTask(source, needsOf(recipe), found.known), options)
  const delivery = deliveryOfSettings(settings, sound.sampleRate, {
    depth: depthOf('source', depth && { depth }),
    lufs: job.loudness,
  })
  const plain = isPlain(delivery, sound.channelCount) && settings.tailSeconds === 0
  const said = settings.tags ? { ...tags, recipe: JSON.stringify(recipe) } : {}
  const order = {
    recipe,
    format: draftDepth(delivery, sound.channelCount),
    markers: settings.markers === 'keep' ? markers : NO_MARKERS,
    rate: delivery.rate,
    sourceBits: depth?.float ? undefined : depth?.bits,
    dither: delivery.dither,
    ...(plain && { tags: said }),
  }
  const type = containers[delivery.container].mime
  const rate = delivery.rate ?? sound.sampleRate
  const draft = await inScratch(job.folder, (write) => runTask(exportTask(source, order, write, known), options))
  const { frames, peak, clippedSamples } = draft.facts
  const harm = job.measure && { harm: await runTask(harmTask(source, recipe, known), options) }
  if (plain)
    return {
      blob: new Blob([draft.blob], { type }),
      methodId: recipe.methodId,
      frames,
      rate,
      peak,
      clippedSamples,
      ...harm,
    }
  const tail = Math.round(settings.tailSeconds * rate)
  const opened = await openDelivery(
    bytesOf(draft.blob, 'draft.wav'),
    delivery,
    { markers: 'keep', tags: said, seed: recipe.seed },
    frames + tail,
  )
  const made = await inScratch(job.folder, (write) => opened.make(write, options))
  const { header, facts } = made.facts
  const level = facts.level?.after
  return {
    blob: new Blob([header, made.blob], { type }),
    methodId: recipe.methodId,
    frames: facts.frames,
    rate: facts.rate,
    peak: level ? dbToAmplitude(level.peakDb) : peak,
    clippedSamples: clippedSamples + facts.clippedSamples,
    ...(level && Number.isFinite(level.lufs) && { lufs: level.lufs }),
    ...harm,
  }
}
