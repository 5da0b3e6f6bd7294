/** One file of a batch: read, made, put into a file, measured. */

import {
  type Analysis,
  analyseTask,
  containers,
  dbToAmplitude,
  draftDepth,
  exportTask,
  harmTask,
  isPlain,
  methods,
  NO_MARKERS,
  needsOf,
  type Recipe,
  type SoundSource,
  tryMethodsTask,
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
  const { recipe, known } = await chosen(source, job.recipe, advised, { attacks: job.attacks }, options)
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
  const made = await inScratch(job.folder, (write) => runTask(opened.task(write), options))
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

/** The recipe, by the method that harms this sound least where that is asked for, and what it needs to know. */
async function chosen(source: SoundSource, recipe: Recipe, advised: boolean, known: Analysis, options: Options) {
  const changes = recipe.stretch !== 1 || recipe.pitchSemitones !== 0
  if (advised && changes) {
    const all = await runTask(analyseTask(source, ['attacks', 'pitch'], known), options)
    const recipes = methods.filter((one) => !one.tiesPitchToSpeed).map(({ id: methodId }) => ({ ...recipe, methodId }))
    const [best] = await runTask(tryMethodsTask(source, recipes, all), options)
    return { recipe: { ...recipe, methodId: best?.methodId ?? recipe.methodId }, known: all }
  }
  return { recipe, known: await runTask(analyseTask(source, needsOf(recipe), known), options) }
}
