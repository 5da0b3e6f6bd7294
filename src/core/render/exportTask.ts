import type { AudioBlock, Markers } from '../audio/block'
import type { SampleFormat } from '../audio/sampleFormat'
import { createWavWriter } from '../audio/writeWav'
import { mapMarkers, mapOf } from './openVoice'
import { checkRecipe, type Recipe } from './recipe'
import { renderTask, type Task } from './renderTask'

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
): Task<ExportFacts> {
  const recipe = checkRecipe(order.recipe)
  const { map, isSource } = mapOf(recipe, source.channels[0]?.length ?? 0)
  const writer = createWavWriter({
    sampleRate: source.sampleRate,
    channelCount: source.channels.length,
    frames: map.outputFrames,
    format: order.format,
    markers: mapMarkers(order.markers, map),
    dither: !(isSource && (order.sourceBits ?? 32) <= 16),
    seed: recipe.seed,
  })
  let peak = 0
  write(writer.header as Uint8Array<ArrayBuffer>)
  yield* renderTask(source, recipe, (block, frames) => {
    for (const channel of block) for (let i = 0; i < frames; i++) peak = Math.max(peak, Math.abs(channel[i] as number))
    write(writer.encode(block, frames))
  })
  write(writer.footer as Uint8Array<ArrayBuffer>)
  return { frames: map.outputFrames, bytes: writer.totalBytes, clippedSamples: writer.clippedSamples, peak }
}
