import { appendFileSync, closeSync, openSync, rmSync, writeFileSync } from 'node:fs'
import { basename } from 'node:path'
import {
  type Analysis,
  AppError,
  type Delivery,
  dbToAmplitude,
  type ExportFacts,
  exportFacts,
  finish,
  harmTask,
  isPlain,
  type Knowledge,
  keyName,
  knowKind,
  knowledgeOf,
  knowRhythm,
  knowTones,
  leastHarmTask,
  type Material,
  planExportTask,
  type Recipe,
  type Rhythm,
  type SoundSource,
  soundSource,
} from '../core'
import type { Said } from '../host/encode/delivering'
import { errorText } from '../host/errorText'
import { type BatchWish, planFile } from '../session/batch/plan'
import type { BatchRow } from '../session/batch/settings'
import { deliverDraft } from './deliver'
import { type OpenSound, readSound, sourceOf, writeAll } from './files'
import { deliveryFor, type Written } from './output'
import { makePieces } from './pieces'
import { unwritable } from './places'
import { exportOrder } from './render'

/** One file of a batch: what is to become of it, done by whichever thread is free. */

/** What is to become of every file. Plain data. */
export interface BatchOrder {
  readonly wish: BatchWish
  /** its stretch, its pitch and its method follow from the file */
  readonly recipe: Recipe
  /** the method is the one that does the least harm to this sound, of those that were tried */
  readonly advised: boolean
  readonly written: Written
  /** whether what was made is measured */
  readonly measure: boolean
}

export interface BatchJob {
  readonly input: string
  /** where it goes, relative to the folder of results */
  readonly output: string
  /** where it is written until it is whole */
  readonly part: string
}

/** The recipe of a file, with what was found out for it and what is doubtful about that. @throws {AppError} */
function recipeFor(order: BatchOrder, source: SoundSource, taggedBpm: number | undefined, file: string) {
  // each half is only asked where it is needed: finding out takes as long as rendering
  let rhythm: Rhythm | undefined
  let known: Knowledge | undefined
  const rhythmOf = () => {
    rhythm ??= finish(knowRhythm(source, { file: basename(file), ...(taggedBpm !== undefined && { taggedBpm }) }))
    return rhythm
  }
  const knowledge = () => {
    known ??= knowledgeOf(rhythmOf(), finish(knowTones(source)))
    return known
  }
  let kind: Material['kind'] | undefined
  const material = () => {
    kind ??= known?.material.kind ?? finish(knowKind(source, rhythmOf()))
    return { kind }
  }
  const plan = planFile(
    order.wish,
    source,
    {
      tempo: () => rhythmOf().tempo,
      pitch: () => knowledge().pitch,
      material,
      hasMaterial: () => kind !== undefined || known !== undefined,
    },
    basename(file),
  )
  const { stretch, semitones: pitchSemitones, methodId = order.recipe.methodId } = plan
  const recipe = { ...order.recipe, stretch, pitchSemitones, methodId }
  const found = rhythm ? { attacks: rhythm.attacks } : {}
  const chosen = order.advised ? finish(leastHarmTask(source, recipe, found)) : { recipe, known: found }
  return { recipe: chosen.recipe, analysis: chosen.known, kind: kind ?? known?.material.kind, known, rhythm, plan }
}

/** Make one file. What fails says so, and loses none of the others. */
export async function makeBatchFile(order: BatchOrder, { input, output, part }: BatchJob): Promise<BatchRow> {
  const about = { file: input, output }
  try {
    const { sound, taggedBpm, warnings } = await readSound(input)
    const source = soundSource(sourceOf(sound))
    const { recipe, analysis, kind, known, rhythm, plan } = recipeFor(order, source, taggedBpm, input)
    const facts = await write(sound, recipe, order, part, output, analysis)
    const { rate } = facts
    const harm = order.measure ? finish(harmTask(source, recipe, analysis)) : undefined
    return {
      ...about,
      status: 'done',
      ...(kind && { material: kind }),
      ...(rhythm?.tempo.bpm !== undefined && { bpm: Number(rhythm.tempo.bpm.toFixed(2)) }),
      ...(known && keyName(known.pitch) !== undefined && { key: keyName(known.pitch) as string }),
      stretch: Number(recipe.stretch.toFixed(6)),
      semitones: recipe.pitchSemitones,
      method: recipe.methodId,
      ...(plan.reading && { reading: plan.reading }),
      doubts: [...plan.doubts, ...warnings.map(({ code, details }) => errorText(new AppError(code, details)))],
      sourceSeconds: source.frames / source.sampleRate,
      seconds: facts.frames / rate,
      rate,
      bytes: facts.bytes,
      peak: facts.peak,
      clippedSamples: facts.clippedSamples,
      ...(facts.lufs !== undefined && { lufs: facts.lufs }),
      ...(harm && { harm }),
    }
  } catch (error) {
    return { ...about, status: 'failed', error: errorText(error), doubts: [] }
  }
}

/** The file, where it lies until it is whole. A draft of what is not a plain WAV file lies beside it. */
async function write(
  sound: OpenSound,
  recipe: Recipe,
  { wish: { aim }, written }: BatchOrder,
  part: string,
  output: string,
  known: Analysis,
): Promise<ExportFacts & { readonly rate: number; readonly lufs?: number }> {
  const delivery = deliveryFor(written, sound)
  const tags = aim.kind === 'bpm' && written.markers === 'keep' ? { bpm: aim.to } : {}
  const said = { markers: written.markers, tags, seed: recipe.seed }
  const order = exportOrder(sound, recipe, delivery, said)
  const { channelCount, sampleRate } = soundSource(sourceOf(sound))
  const plan = finish(planExportTask(sourceOf(sound), order, known))
  const plain = isPlain(delivery, channelCount)
  const place = plain ? part : `${part}.draft`
  const rate = delivery.rate ?? sampleRate
  try {
    writeFileSync(place, plan.header)
    const made = await makePieces(sound, { order, plan, place, target: output }, 1)
    appendFileSync(place, plan.footer)
    const facts = { ...exportFacts(plan, made), rate }
    if (plain) return facts
    const delivered = await deliverInto(part, place, delivery, said)
    return {
      ...facts,
      bytes: delivered.bytes,
      clippedSamples: facts.clippedSamples + delivered.clippedSamples,
      ...(delivered.level && { lufs: delivered.level.after.lufs, peak: dbToAmplitude(delivered.level.after.peakDb) }),
    }
  } catch (error) {
    throw error instanceof AppError ? error : unwritable(output, error)
  } finally {
    if (!plain) rmSync(place, { force: true })
  }
}

async function deliverInto(part: string, draft: string, delivery: Delivery, said: Said) {
  const fd = openSync(part, 'w')
  let end = 0
  try {
    return await deliverDraft(draft, delivery, said, {
      write(bytes, at = end) {
        writeAll(fd, bytes, at)
        end = at + bytes.length
      },
    })
  } finally {
    closeSync(fd)
  }
}

/** One file after another, as they are asked for. */
export const serveBatch =
  ({ order }: { readonly order: BatchOrder }) =>
  (job: BatchJob): Promise<BatchRow> =>
    makeBatchFile(order, job)
