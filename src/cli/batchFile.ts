import { closeSync, openSync, statSync } from 'node:fs'
import { basename } from 'node:path'
import {
  type Analysis,
  AppError,
  bytesInMemory,
  type ExportFacts,
  exportFacts,
  exportPieceTask,
  finish,
  type Knowledge,
  keyName,
  knowledgeOf,
  knowRhythm,
  knowTones,
  naturalRange,
  planExportTask,
  type Recipe,
  type Rhythm,
  readingOf,
  type SampleFormat,
  soundSource,
  stretchForFrames,
  suggestMethod,
} from '../core'
import { decodeFile } from '../host/decodeFile'
import { errorText } from '../host/errorText'
import { warningsOf } from '../host/pcmFile'
import { taggedTempo } from '../host/taggedTempo'
import { keyInterval } from '../session/target'
import { type OpenSound, openPcmSound, ownFormat, pcmFileAt, readBytes, sourceOf, writeAll } from './files'
import { unwritable } from './places'

/** One file of a batch: what is to become of it, done by whichever thread is free. */

export interface BatchKey {
  readonly root: number
  readonly mode: 'major' | 'minor' | undefined
}

export type BatchAim =
  | { readonly kind: 'stretch'; readonly stretch: number }
  | { readonly kind: 'seconds'; readonly seconds: number }
  | { readonly kind: 'bpm'; readonly from: number | undefined; readonly to: number }

/** What is to become of every file. Plain data. */
export interface BatchOrder {
  readonly aim: BatchAim
  /** brought to this key by the shorter way */
  readonly key: BatchKey | undefined
  /** its stretch and its method follow from the file where they are not said */
  readonly recipe: Recipe
  /** undefined: by the material */
  readonly method: string | undefined
  readonly depth: SampleFormat | undefined
  readonly rate: number | undefined
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
}

/** below it a tempo is not worked from, below the second it is worked from in doubt */
const LEAST_TEMPO = 0.5
const SURE_TEMPO = 0.8
const LEAST_KEY = 0.3
/** larger files stay where they are, if they can be read anywhere */
const MOST_BYTES_IN_MEMORY = 2 ** 26

interface Read {
  readonly sound: OpenSound
  readonly taggedBpm: number | undefined
  readonly warnings: readonly string[]
}

async function read(file: string): Promise<Read> {
  const told = (all: readonly { readonly code: string; readonly details: AppError['details'] }[]) =>
    all.map(({ code, details }) => errorText(new AppError(code, details)))
  const large = (statSync(file, { throwIfNoEntry: false })?.size ?? 0) > MOST_BYTES_IN_MEMORY
  const pcm = large ? pcmFileAt(file) : undefined
  if (pcm) {
    const sound = openPcmSound(file, () => undefined) as OpenSound
    return { sound, taggedBpm: await taggedTempo(pcm.bytes), warnings: told(warningsOf(pcm, basename(file))) }
  }
  const bytes = await readBytes(file)
  const decoded = await decodeFile(bytes, basename(file))
  return { sound: decoded, taggedBpm: await taggedTempo(bytesInMemory(bytes)), warnings: told(decoded.warnings) }
}

/** The recipe of a file, with what was found out for it and what is doubtful about that. @throws {AppError} */
function recipeFor(order: BatchOrder, { sound, taggedBpm }: Read, file: string) {
  const source = soundSource(sourceOf(sound))
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
  const { aim } = order
  let { stretch } = order.recipe
  if (aim.kind === 'stretch') stretch = aim.stretch
  else if (aim.kind === 'seconds')
    stretch = stretchForFrames(source.frames, Math.max(1, Math.round(aim.seconds * source.sampleRate)))
  else {
    let { from } = aim
    if (from === undefined) {
      const { bpm, confidence } = rhythmOf().tempo
      if (bpm === undefined || confidence < LEAST_TEMPO) throw new AppError('batch/no-tempo', { file: basename(file) })
      if (confidence < SURE_TEMPO) doubts.push(`tempo ${Math.round(100 * confidence)} % sure`)
      from = bpm
    }
    stretch = from / aim.to
  }
  let { pitchSemitones } = order.recipe
  if (order.key) {
    const { root, mode, confidence } = knowledge().pitch
    if (root === undefined || confidence < LEAST_KEY) doubts.push('no key found: its pitch stays')
    else {
      pitchSemitones += keyInterval({ root, ...(mode && { mode }) }, order.key as Parameters<typeof keyInterval>[1])
      if (confidence < SURE_TEMPO) doubts.push(`key ${Math.round(100 * confidence)} % sure`)
    }
  }
  const isPlain = stretch === 1 && pitchSemitones === 0
  const methodId =
    order.method ?? (isPlain ? order.recipe.methodId : suggestMethod(knowledge().material, stretch).methodId)
  const reading = known && readingOf(stretch, naturalRange(known.material.kind), pitchSemitones)
  if (reading?.startsWith('clearly')) doubts.push(reading)
  return { recipe: { ...order.recipe, stretch, pitchSemitones, methodId }, known, rhythm, reading, doubts, source }
}

/** Make one file. What fails says so, and loses none of the others. */
export async function makeBatchFile(order: BatchOrder, { input, output, part }: BatchJob): Promise<BatchRow> {
  const about = { file: input, output }
  try {
    const own = await read(input)
    const { recipe, known, rhythm, reading, doubts, source } = recipeFor(order, own, input)
    const { sound } = own
    const facts = write(sound, recipe, order, part, output, rhythm && { attacks: rhythm.attacks })
    const rate = order.rate ?? source.sampleRate
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
      doubts: [...doubts, ...own.warnings],
      sourceSeconds: source.frames / source.sampleRate,
      seconds: facts.frames / rate,
      rate,
      bytes: facts.bytes,
      peak: facts.peak,
      clippedSamples: facts.clippedSamples,
    }
  } catch (error) {
    return { ...about, status: 'failed', error: errorText(error), doubts: [] }
  }
}

function write(
  sound: OpenSound,
  recipe: Recipe,
  order: BatchOrder,
  part: string,
  output: string,
  known: Analysis | undefined,
): ExportFacts {
  const asked = {
    recipe,
    format: order.depth ?? ownFormat(sound),
    markers: sound.markers,
    rate: order.rate,
    sourceBits: sound.depth?.float ? undefined : sound.depth?.bits,
  }
  const plan = finish(planExportTask(sourceOf(sound), asked, known))
  let fd: number
  try {
    fd = openSync(part, 'w')
  } catch (error) {
    throw unwritable(output, error)
  }
  try {
    let at = 0
    const put = (bytes: Uint8Array) => {
      try {
        writeAll(fd, bytes, at)
      } catch (error) {
        throw unwritable(output, error)
      }
      at += bytes.length
    }
    put(plan.header)
    const made = plan.pieces.map((_, piece) => finish(exportPieceTask(sourceOf(sound), asked, plan, piece, put)))
    put(plan.footer)
    return exportFacts(plan, made)
  } finally {
    closeSync(fd)
  }
}

/** One file after another, as they are asked for. */
export const serveBatch =
  ({ order }: { readonly order: BatchOrder }) =>
  (job: BatchJob): Promise<BatchRow> =>
    makeBatchFile(order, job)
