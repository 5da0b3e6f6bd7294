import { type Analysis, analyseTask } from '../analysis/analysis'
import { type AudioBlock, frameCount, type Markers } from '../audio/block'
import type { SampleFormat } from '../audio/sampleFormat'
import { createWavWriter } from '../audio/writeWav'
import type { Task } from '../task'
import { mapMarkers, needsOf, planOf } from './openVoice'
import { checkRecipe, type Recipe } from './recipe'
import { renderTask } from './renderTask'

export interface ExportOrder {
  readonly recipe: Recipe
  readonly format: SampleFormat
  readonly markers: Markers
  /** bits of the source's own samples, where it has whole-number ones: what fits without rounding gets no dither */
  readonly sourceBits?: number | undefined
}

export interface ExportFacts {
  readonly frames: number
  readonly bytes: number
  readonly clippedSamples: number
  readonly peak: number
}

/**
 * Render a recipe into the bytes of a WAV file, piece by piece. 16 bits are dithered, unless the result is the source
 * itself and came with no more than 16.
 * @throws {AppError} as `checkRecipe`, and `export/too-long`.
 */
export function* exportTask(
  source: AudioBlock,
  order: ExportOrder,
  write: (bytes: Uint8Array<ArrayBuffer>) => void,
  known?: Analysis,
): Task<ExportFacts> {
  const recipe = checkRecipe(order.recipe)
  const size = { frames: frameCount(source), sampleRate: source.sampleRate }
  const writerFor = ({ map, isSource }: ReturnType<typeof planOf>) =>
    createWavWriter({
      sampleRate: source.sampleRate,
      channelCount: source.channels.length,
      frames: map.outputFrames,
      format: order.format,
      markers: mapMarkers(order.markers, map),
      dither: !(isSource && (order.sourceBits ?? 32) <= 16),
      seed: recipe.seed,
    })
  // what cannot be written is refused before anything is looked for in the source
  writerFor(planOf(recipe, size))
  const analysis = yield* beforehand(analyseTask(source, needsOf(recipe), known))
  const plan = planOf(recipe, size, analysis.attacks)
  const writer = writerFor(plan)
  let peak = 0
  write(writer.header as Uint8Array<ArrayBuffer>)
  yield* renderTask(
    source,
    recipe,
    (block, frames) => {
      for (const channel of block)
        for (let i = 0; i < frames; i++) peak = Math.max(peak, Math.abs(channel[i] as number))
      write(writer.encode(block, frames))
    },
    analysis,
  )
  write(writer.footer as Uint8Array<ArrayBuffer>)
  return { frames: plan.map.outputFrames, bytes: writer.totalBytes, clippedSamples: writer.clippedSamples, peak }
}

/** Work that comes before what progress is counted in: it breathes, and shows as nothing done yet. */
function* beforehand<Result>(task: Task<Result>): Task<Result> {
  for (let step = task.next(); ; step = task.next()) {
    if (step.done) return step.value
    yield { doneFrames: 0, totalFrames: step.value.totalFrames }
  }
}
