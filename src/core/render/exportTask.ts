import { type Analysis, analyseTask } from '../analysis/analysis'
import type { AudioBlock, Channels, Markers } from '../audio/block'
import { bytesPerSample, type Dither, type SampleFormat } from '../audio/sampleFormat'
import { type SoundSource, soundSource } from '../audio/soundSource'
import type { SoundTags } from '../audio/soundTags'
import { createWavWriter } from '../audio/writeWav'
import { AppError } from '../errors'
import type { Task } from '../task'
import { atRate, framesAtRate } from './atRate'
import { mapMarkers, markersAtRate } from './markers'
import { needsOf, openRendering, planOf, type Rendering, seamsOfPlan } from './openVoice'
import { checkedRecipe, type Recipe } from './recipe'
import { readTask } from './renderTask'
import { piecesBetween } from './seams'

export interface ExportOrder {
  readonly recipe: Recipe
  readonly format: SampleFormat
  readonly markers: Markers
  /** Hz of the file, `RATE_RANGE`; the source's where it is not said */
  readonly rate?: number | undefined
  /** bits of the source's own samples, where it has whole-number ones: what fits without rounding gets no dither */
  readonly sourceBits?: number | undefined
  /** of 16 bits; flat where it is not said */
  readonly dither?: Dither | undefined
  readonly tags?: SoundTags | undefined
}

export interface ExportFacts {
  readonly frames: number
  readonly bytes: number
  readonly clippedSamples: number
  readonly peak: number
}

/** A result that falls into pieces: whoever makes them, in whatever order, the file is the same. Plain data. */
export interface ExportPlan {
  /** output frames of each piece, the end exclusive */
  readonly pieces: readonly { readonly from: number; readonly to: number }[]
  readonly header: Uint8Array<ArrayBuffer>
  readonly footer: Uint8Array<ArrayBuffer>
  /** of one frame of all channels */
  readonly frameBytes: number
  readonly bytes: number
  readonly analysis: Analysis
}

/** What came of a piece. */
export interface PieceFacts {
  readonly clippedSamples: number
  readonly peak: number
}

/**
 * What a file of this order will hold, and in which pieces it can be made.
 * @throws {AppError} as `checkRecipe`, `export/empty` and `export/too-long`.
 */
export function* planExportTask(
  source: AudioBlock | SoundSource,
  order: ExportOrder,
  known?: Analysis,
): Task<ExportPlan> {
  const recipe = checkedRecipe(order.recipe)
  // what cannot be written is refused before anything is looked for in the source
  const planned = planOf(recipe, soundSource(source))
  if (planned.map.outputFrames < 1) throw new AppError('export/empty', {})
  writerFor(source, order, planned, 0)
  // what is taken as it is needs nothing found out
  const needs = planned.isSource ? [] : needsOf(recipe)
  const analysis = yield* beforehand(analyseTask(source, needs, known), planned.map.outputFrames)
  const plan = planOf(recipe, soundSource(source), analysis.attacks)
  const { header, footer, totalBytes: bytes } = writerFor(source, order, plan, 0)
  return {
    // read at another rate a result has no seams: what lies before one is needed behind it
    pieces: piecesBetween(
      rateOf(source, order) === source.sampleRate ? seamsOfPlan(source, plan, analysis) : [],
      framesOf(source, order, plan),
    ),
    header: header as Uint8Array<ArrayBuffer>,
    footer: footer as Uint8Array<ArrayBuffer>,
    frameBytes: soundSource(source).channelCount * bytesPerSample[order.format],
    bytes,
    analysis,
  }
}

/** The bytes of one piece, in order; its progress counts its own frames. */
export function* exportPieceTask(
  source: AudioBlock | SoundSource,
  order: ExportOrder,
  { analysis, pieces }: Pick<ExportPlan, 'analysis' | 'pieces'>,
  piece: number,
  write: (bytes: Uint8Array<ArrayBuffer>) => void,
): Task<PieceFacts> {
  const rendering = openRendering(source, order.recipe, analysis)
  const writer = writerFor(source, order, rendering, piece)
  let peak = 0
  const sink = (block: Channels, frames: number) => {
    for (const channel of block) peak = Math.max(peak, peakOf(channel, frames))
    write(writer.encode(block, frames))
  }
  const { sampleRate } = source
  const { channelCount } = soundSource(source)
  const voice = atRate({ voice: rendering.voice, channelCount, sampleRate }, rateOf(source, order))
  yield* readTask(voice, channelCount, pieces[piece] as ExportPlan['pieces'][number], sink)
  return { clippedSamples: writer.clippedSamples, peak }
}

/** Plain comparisons, in a loop of its own: Math.max and Math.abs on each sample took a tenth of an export. */
function peakOf(samples: Float32Array, frames: number): number {
  let peak = 0
  for (let i = 0; i < frames; i++) {
    const value = samples[i] as number
    if (value > peak) peak = value
    else if (-value > peak) peak = -value
  }
  return peak
}

export function exportFacts({ pieces, bytes }: ExportPlan, made: readonly PieceFacts[]): ExportFacts {
  return {
    frames: pieces.at(-1)?.to ?? 0,
    bytes,
    clippedSamples: made.reduce((sum, { clippedSamples }) => sum + clippedSamples, 0),
    peak: made.reduce((most, { peak }) => Math.max(most, peak), 0),
  }
}

/**
 * Render a recipe into the bytes of a WAV file, from its first to its last. 16 bits are dithered, unless the result is the source
 * itself and came with no more than 16.
 * @throws {AppError} as `planExportTask`.
 */
export function* exportTask(
  source: AudioBlock | SoundSource,
  order: ExportOrder,
  write: (bytes: Uint8Array<ArrayBuffer>) => void,
  known?: Analysis,
): Task<ExportFacts> {
  const plan = yield* planExportTask(source, order, known)
  const totalFrames = plan.pieces.at(-1)?.to ?? 0
  const made: PieceFacts[] = []
  write(plan.header)
  for (const [piece, { from }] of plan.pieces.entries()) {
    const task = exportPieceTask(source, order, plan, piece, write)
    let step = task.next()
    for (; !step.done; step = task.next()) yield { doneFrames: from + step.value.doneFrames, totalFrames }
    made.push(step.value)
  }
  write(plan.footer)
  return exportFacts(plan, made)
}

const rateOf = ({ sampleRate }: { readonly sampleRate: number }, { rate }: ExportOrder) => rate ?? sampleRate

const framesOf = (source: { readonly sampleRate: number }, order: ExportOrder, { map }: Pick<Rendering, 'map'>) =>
  framesAtRate(map.outputFrames, source.sampleRate, rateOf(source, order))

/** The writer of the file; its dither is drawn afresh for each piece. */
function writerFor(
  source: AudioBlock | SoundSource,
  order: ExportOrder,
  { map, isSource }: Pick<Rendering, 'map' | 'isSource'>,
  piece: number,
) {
  const rate = rateOf(source, order)
  return createWavWriter({
    sampleRate: rate,
    channelCount: soundSource(source).channelCount,
    frames: framesOf(source, order, { map }),
    format: order.format,
    markers: markersAtRate(mapMarkers(order.markers, map, order.recipe.pitchSemitones), rate / source.sampleRate),
    tags: order.tags,
    dither:
      isSource && rate === source.sampleRate && (order.sourceBits ?? 32) <= 16 ? 'none' : (order.dither ?? 'flat'),
    seed: order.recipe.seed + SEED_STEP * piece,
  })
}

const SEED_STEP = 7919

/** Work that comes before what progress is counted in: it breathes, and shows as nothing done yet. */
function* beforehand<Result>(task: Task<Result>, totalFrames: number): Task<Result> {
  for (let step = task.next(); ; step = task.next()) {
    if (step.done) return step.value
    yield { doneFrames: 0, totalFrames }
  }
}
