import {
  checkRecipe,
  exportFacts,
  finish,
  methods,
  planExportTask,
  type Recipe,
  type SampleFormat,
  soundSource,
  wavRate,
} from '../core'
import { type Arguments, places, readArguments, UsageError } from './args'
import { dbText, formatName, type OpenSound, openSound, ownFormat, partialFile, sourceOf } from './files'
import { makePieces } from './pieces'
import { RENDER_FLAGS, recipeFrom } from './recipeFlags'
import { threadsFrom } from './threads'

export async function render(words: readonly string[], out: (line: string) => void, err: (line: string) => void) {
  const args = readArguments(words, [...RENDER_FLAGS, 'stretch', 'map', 'workers'], [])
  const [input, output] = places(args, ['IN', 'OUT.wav']) as [string, string]
  const methodId = args.text('method')
  if (methodId === undefined) throw new UsageError(`--method is needed: ${methods.map((m) => m.id).join(', ')}`)
  const recipe = await recipeFrom(args, methodId, args.number('stretch') ?? 1)
  const format = checkOutput(args, output)
  const threads = threadsFrom(args)
  checkRecipe(recipe)
  await renderFile(await openSound(input, err), recipe, format, output, threads, out, err)
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
  sound: OpenSound,
  recipe: Recipe,
  depth: SampleFormat | undefined,
  output: string,
  threads: number,
  out: (line: string) => void,
  err: (line: string) => void,
) {
  const format = depth ?? ownFormat(sound)
  const order = {
    recipe,
    format,
    markers: sound.markers,
    sourceBits: sound.depth?.float ? undefined : sound.depth?.bits,
  }
  const sink = partialFile(output)
  try {
    const plan = finish(planExportTask(sourceOf(sound), order))
    sink.write(plan.header, 0)
    const made = await makePieces(sound, { order, plan, place: sink.place, target: output }, threads)
    sink.write(plan.footer, plan.bytes - plan.footer.length)
    const facts = exportFacts(plan, made)
    sink.keep()
    const { sampleRate: rate, channelCount } = soundSource(sourceOf(sound))
    if (wavRate(rate) !== rate)
      err(`zumbet: a WAV file holds whole rates: ${rate} Hz is written as ${wavRate(rate)} Hz.`)
    if (facts.clippedSamples > 0) {
      err(`zumbet: ${facts.clippedSamples} samples were over full scale and were limited; --depth 32f keeps them.`)
    }
    out(
      `${output}: ${facts.frames} frames, ${(facts.frames / rate).toFixed(3)} s, ${rate} Hz, ${channelCount} channels, ${formatName(format)}, peak ${dbText(facts.peak)} dBFS`,
    )
  } catch (error) {
    sink.discard()
    throw error
  }
}
