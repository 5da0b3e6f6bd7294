import { appendFileSync, closeSync, openSync, rmSync, writeFileSync } from 'node:fs'
import { basename } from 'node:path'
import {
  type Analysis,
  AppError,
  analyseTask,
  artefactKind,
  type Delivery,
  dbToAmplitude,
  type ExportFacts,
  exportFacts,
  figureOf,
  finish,
  heardPlacesOf,
  isPlain,
  type Knowledge,
  keyName,
  knowledgeOf,
  knowRhythm,
  knowTones,
  naturalRange,
  planExportTask,
  planOf,
  type Recipe,
  type Rhythm,
  readingOf,
  type SoundSource,
  soundSource,
  suggestMethod,
  tellingSpan,
  trialTask,
  verdictOf,
  worstOf,
} from '../core'
import type { Said } from '../host/encode/delivering'
import { errorText } from '../host/errorText'
import { keyInterval } from '../session/target'
import { type Aim, stretchFor } from './aims'
import { deliverDraft } from './deliver'
import { type OpenSound, readSound, sourceOf, writeAll } from './files'
import { deliveryFor, type Written } from './output'
import { makePieces } from './pieces'
import { unwritable } from './places'
import { exportOrder } from './render'

/** One file of a batch: what is to become of it, done by whichever thread is free. */

export interface BatchKey {
  readonly root: number
  readonly mode: 'major' | 'minor' | undefined
}

/** What is to become of every file. Plain data. */
export interface BatchOrder {
  readonly aim: Aim
  /** brought to this key by the shorter way */
  readonly key: BatchKey | undefined
  /** its stretch and its method follow from the file where they are not said */
  readonly recipe: Recipe
  /** undefined: by the material */
  readonly method: string | undefined
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

/** What came of a file: a row of the summary. Plain data. */
export interface BatchRow {
  readonly file: string
  readonly output: string
  readonly status: 'done' | 'failed'
  /** why it failed */
  readonly error?: string
  readonly material?: string
  readonly bpm?: number
  readonly key?: string
  readonly stretch?: number
  readonly semitones?: number
  readonly method?: string
  /** how natural it should sound, by its material */
  readonly reading?: string
  /** what may not hold */
  readonly doubts: readonly string[]
  readonly sourceSeconds?: number
  readonly seconds?: number
  readonly rate?: number
  readonly bytes?: number
  readonly peak?: number
  readonly clippedSamples?: number
  /** where it was brought to a level */
  readonly lufs?: number
  readonly harm?: BatchHarm
}

/** What was measured of a result: the kind of harm that stands out most, and all that is heard, in words. */
export interface BatchHarm {
  readonly verdict: string
  readonly worst?: string
  readonly figure?: string
  /** 1 where it begins to be heard, 3 where it is severe */
  readonly severity?: number
  /** s of the source */
  readonly atSeconds?: number
}

/** below it a tempo, or a key, is worked from in doubt; below the other no key is */
const SURE = 0.8
const LEAST_KEY = 0.3

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
  const doubts: string[] = []
  const stretch = stretchFor(order.aim, source, () => {
    const { tempo } = rhythmOf()
    if (tempo.confidence < SURE) doubts.push(`tempo ${Math.round(100 * tempo.confidence)} % sure`)
    return tempo
  })
  if (stretch === undefined) throw new AppError('batch/no-tempo', { file: basename(file) })
  let { pitchSemitones } = order.recipe
  if (order.key) {
    const { root, mode, confidence } = knowledge().pitch
    if (root === undefined || confidence < LEAST_KEY) doubts.push('no key found: its pitch stays')
    else {
      pitchSemitones += keyInterval({ root, ...(mode && { mode }) }, order.key as Parameters<typeof keyInterval>[1])
      if (confidence < SURE) doubts.push(`key ${Math.round(100 * confidence)} % sure`)
    }
  }
  const isPlain = stretch === 1 && pitchSemitones === 0
  const methodId =
    order.method ?? (isPlain ? order.recipe.methodId : suggestMethod(knowledge().material, stretch).methodId)
  const reading = known && readingOf(stretch, naturalRange(known.material.kind), pitchSemitones)
  if (reading?.startsWith('clearly')) doubts.push(reading)
  return { recipe: { ...order.recipe, stretch, pitchSemitones, methodId }, known, rhythm, reading, doubts }
}

/** Make one file. What fails says so, and loses none of the others. */
export async function makeBatchFile(order: BatchOrder, { input, output, part }: BatchJob): Promise<BatchRow> {
  const about = { file: input, output }
  try {
    const { sound, taggedBpm, warnings } = await readSound(input)
    const source = soundSource(sourceOf(sound))
    const { recipe, known, rhythm, reading, doubts } = recipeFor(order, source, taggedBpm, input)
    const facts = await write(sound, recipe, order, part, output, rhythm && { attacks: rhythm.attacks })
    const { rate } = facts
    const harm = order.measure ? harmIn(source, recipe, rhythm) : undefined
    return {
      ...about,
      status: 'done',
      ...(known && { material: known.material.kind }),
      ...(rhythm?.tempo.bpm !== undefined && { bpm: Number(rhythm.tempo.bpm.toFixed(2)) }),
      ...(known && keyName(known.pitch) !== undefined && { key: keyName(known.pitch) as string }),
      stretch: Number(recipe.stretch.toFixed(6)),
      semitones: recipe.pitchSemitones,
      method: recipe.methodId,
      ...(reading && { reading }),
      doubts: [...doubts, ...warnings.map(({ code, details }) => errorText(new AppError(code, details)))],
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

/** so much of a result is measured, s: all of most, the part that tells most of a long one */
const MEASURED_SECONDS = 20

/** What a method did to a sound, measured on the part of the result that tells most. */
function harmIn(source: SoundSource, recipe: Recipe, rhythm: Rhythm | undefined): BatchHarm {
  const known = rhythm ? { attacks: rhythm.attacks } : finish(analyseTask(source, ['attacks']))
  const { map } = planOf(recipe, source, known.attacks)
  const frames = (known.attacks ?? []).map(({ frame }) => frame)
  const span = tellingSpan(source, map, frames, MEASURED_SECONDS)
  const { measurement } = finish(trialTask(source, recipe, span, known))
  const worst = worstOf(measurement)
  const place = worst && heardPlacesOf(worst.artefact).sort((a, b) => b.value - a.value)[0]
  return {
    verdict: verdictOf(measurement, source.sampleRate),
    ...(worst && {
      worst: artefactKind(worst.artefact.id).label,
      figure: figureOf(worst.artefact),
      severity: Number(worst.severity.toFixed(3)),
    }),
    ...(place && { atSeconds: Number((place.sourceFrame / source.sampleRate).toFixed(3)) }),
  }
}

/** The file, where it lies until it is whole. A draft of what is not a plain WAV file lies beside it. */
async function write(
  sound: OpenSound,
  recipe: Recipe,
  { aim, written }: BatchOrder,
  part: string,
  output: string,
  known: Analysis | undefined,
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
