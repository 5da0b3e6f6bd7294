import { checkRecipe, type DecodedFile, exportTask, methods, type Recipe, type SampleFormat } from '../core'
import { type Arguments, places, readArguments, UsageError } from './args'
import { dbText, formatName, open, ownFormat, partialFile } from './files'
import { RENDER_FLAGS, recipeFrom } from './recipeFlags'

export async function render(words: readonly string[], out: (line: string) => void, err: (line: string) => void) {
  const args = readArguments(words, [...RENDER_FLAGS, 'stretch', 'map'], [])
  const [input, output] = places(args, ['IN', 'OUT.wav']) as [string, string]
  const methodId = args.text('method')
  if (methodId === undefined) throw new UsageError(`--method is needed: ${methods.map((m) => m.id).join(', ')}`)
  const recipe = await recipeFrom(args, methodId, args.number('stretch') ?? 1)
  const format = checkOutput(args, output)
  checkRecipe(recipe)
  await renderFile(await open(input, err), recipe, format, output, out, err)
}

/** What the flags ask of the file that is written; undefined for as deep as the source. */
export function checkOutput(args: Arguments, output: string): SampleFormat | undefined {
  const depth = args.text('depth')
  if (depth !== undefined && !['16', '24', '32', '32f'].includes(depth))
    throw new UsageError('--depth takes 16, 24, 32 or 32f')
  if (!/\.wav$/i.test(output)) throw new UsageError(`the result is a WAV file: "${output}" must end in .wav`)
  return depth as SampleFormat | undefined
}

export async function renderFile(
  source: DecodedFile,
  recipe: Recipe,
  depth: SampleFormat | undefined,
  output: string,
  out: (line: string) => void,
  err: (line: string) => void,
) {
  const format = depth ?? ownFormat(source)
  const order = {
    recipe,
    format,
    markers: source.markers,
    sourceBits: source.depth?.float ? undefined : source.depth?.bits,
  }
  const sink = await partialFile(output)
  try {
    const task = exportTask(source.audio, order, (bytes) => sink.write(bytes))
    // pieces are written as they are made: a result never lies in memory whole
    let step = task.next()
    while (!step.done) {
      await sink.drained()
      step = task.next()
    }
    const facts = step.value
    await sink.keep()
    const rate = source.audio.sampleRate
    if (facts.clippedSamples > 0) {
      err(`zumbet: ${facts.clippedSamples} samples were over full scale and were limited; --depth 32f keeps them.`)
    }
    out(
      `${output}: ${facts.frames} frames, ${(facts.frames / rate).toFixed(3)} s, ${rate} Hz, ${source.audio.channels.length} channels, ${formatName(format)}, peak ${dbText(facts.peak)} dBFS`,
    )
  } catch (error) {
    await sink.discard()
    throw error
  }
}
