import {
  type Analysis,
  AppError,
  type ExportOrder,
  exportFacts,
  methods,
  planExportTask,
  RATE_RANGE,
  type Recipe,
  type SampleFormat,
  soundSource,
  wavRate,
} from '../core'
import { type Arguments, places, readArguments, UsageError } from './args'
import { drive } from './drive'
import { dbText, formatName, type OpenSound, openSound, ownFormat, sourceOf } from './files'
import { makePieces } from './pieces'
import { checkPlace, isSameFile, partialFile } from './places'
import { RENDER_FLAGS, recipeFrom } from './recipeFlags'
import type { Terminal } from './terminal'
import { threadsFrom } from './threads'

/** share of the work that is looking at the source */
const ANALYSING = 0.3

export async function render(words: readonly string[], terminal: Terminal) {
  const args = readArguments(words, [...RENDER_FLAGS, 'stretch', 'map', 'workers'], ['force'])
  const [input, output] = places(args, ['IN', 'OUT.wav']) as [string, string]
  const methodId = args.text('method')
  if (methodId === undefined) throw new UsageError(`--method is needed: ${methods.map((m) => m.id).join(', ')}`)
  const recipe = await recipeFrom(args, methodId, args.number('stretch') ?? 1)
  const written = checkOutput(args, output)
  const threads = threadsFrom(args)
  const sound = await openSound(input, terminal.err)
  await checkTarget(args, input, output, terminal)
  await renderFile(sound, recipe, written, output, threads, terminal)
}

/** What the flags ask of the file that is written; undefined for as the source has it. */
export interface Written {
  readonly depth: SampleFormat | undefined
  readonly rate: number | undefined
}

export function checkOutput(args: Arguments, output: string): Written {
  const written = outputFlags(args)
  if (!/\.wav$/i.test(output)) throw new UsageError(`the result is a WAV file: "${output}" must end in .wav`)
  return written
}

export function outputFlags(args: Arguments): Written {
  const depth = args.text('depth')
  if (depth !== undefined && !['16', '24', '32', '32f'].includes(depth))
    throw new UsageError('--depth takes 16, 24, 32 or 32f')
  const rate = args.number('rate')
  if (rate !== undefined && !(Number.isInteger(rate) && rate >= RATE_RANGE.min && rate <= RATE_RANGE.max))
    throw new UsageError(`--rate takes whole Hz, ${RATE_RANGE.min} to ${RATE_RANGE.max}`)
  return { depth: depth as SampleFormat | undefined, rate }
}

/**
 * See that the result can go where it is wanted, before the work begins.
 * @throws {AppError} `file/unwritable`; `file/is-input` where it would take the place of what is read, and nobody
 *   says that it may.
 */
export async function checkTarget(args: Arguments, input: string, output: string, { ask }: Terminal) {
  checkPlace(output)
  if (!isSameFile(input, output) || args.flag('force')) return
  if (!(await ask(`${output} is the sound that is read. Write over it?`)))
    throw new AppError('file/is-input', { file: output })
}

/** What a file of a sound's result is to be: as deep as the sound, with its markers, where nothing else is asked. */
export const exportOrder = (sound: OpenSound, recipe: Recipe, { depth, rate }: Written): ExportOrder => ({
  recipe,
  format: depth ?? ownFormat(sound),
  markers: sound.markers,
  rate,
  sourceBits: sound.depth?.float ? undefined : sound.depth?.bits,
})

export async function renderFile(
  sound: OpenSound,
  recipe: Recipe,
  { depth, rate }: Written,
  output: string,
  threads: number,
  { out, err, progress }: Terminal,
  known?: Analysis,
) {
  const order = exportOrder(sound, recipe, { depth, rate })
  const { format } = order
  const sink = partialFile(output)
  try {
    const plan = drive(planExportTask(sourceOf(sound), order, known), progress, { from: 0, to: ANALYSING })
    sink.write(plan.header, 0)
    const made = await makePieces(sound, { order, plan, place: sink.place, target: output }, threads, (share) =>
      progress(ANALYSING + (1 - ANALYSING) * share),
    )
    sink.write(plan.footer, plan.bytes - plan.footer.length)
    const facts = exportFacts(plan, made)
    sink.keep()
    const { sampleRate, channelCount } = soundSource(sourceOf(sound))
    const hz = rate ?? sampleRate
    if (wavRate(hz) !== hz) err(`zumbet: a WAV file holds whole rates: ${hz} Hz is written as ${wavRate(hz)} Hz.`)
    if (facts.clippedSamples > 0) {
      err(`zumbet: ${facts.clippedSamples} samples were over full scale and were limited; --depth 32f keeps them.`)
    }
    out(
      `${output}: ${facts.frames} frames, ${(facts.frames / hz).toFixed(3)} s, ${hz} Hz, ${channelCount} channels, ${formatName(format)}, peak ${dbText(facts.peak)} dBFS`,
    )
  } catch (error) {
    sink.discard()
    throw error
  }
}
