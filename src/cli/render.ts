import { basename } from 'node:path'
import {
  type Analysis,
  AppError,
  choosingTask,
  type Delivery,
  draftDepth,
  type ExportOrder,
  exportFacts,
  isPlain,
  methods,
  methodText,
  NO_MARKERS,
  planExportTask,
  type Recipe,
  reasonOf,
  type SoundTags,
  soundSource,
  wavRate,
} from '../core'
import type { Said } from '../host/encode/delivering'
import { recipeText } from '../session'
import { type Arguments, places, readArguments, UsageError } from './args'
import { deliverDraft, deliveryName, levelText, tellDelivered } from './deliver'
import { drive } from './drive'
import { dbText, type OpenSound, openSound, sourceOf } from './files'
import { lookBeside } from './looks'
import { checkEnding, checkOutput, deliveryFor, type Written } from './output'
import { pacedFor, pacingFrom } from './pacing'
import { makePieces } from './pieces'
import { checkPlace, isSameFile, partialFile, writeWhole } from './places'
import { RENDER_FLAGS, recipeFrom } from './recipeFlags'
import { recipeGiven, soundWithin, tagsFor } from './recipePlace'
import type { Terminal } from './terminal'
import { threadsFrom } from './threads'

/** share of the work that is trying methods, where none was named */
const CHOOSING = 0.7
/** share of the work that is looking at the source */
const ANALYSING = 0.3

export async function render(words: readonly string[], terminal: Terminal) {
  const args = readArguments(
    words,
    [...RENDER_FLAGS, 'stretch', 'map', 'workers', 'recipe', 'save-recipe', 'date', 'pacing'],
    ['force', 'tags'],
  )
  const [input, output] = places(args, ['IN', 'OUT.wav']) as [string, string]
  const given = args.text('recipe')
  const file = given === undefined ? undefined : await recipeGiven(args, given)
  const written = file?.written ?? checkOutput(args, output)
  if (file) checkEnding(output, written.container)
  const wanted = file?.recipe ?? (await recipeAsked(args))
  const pacing = pacingFrom(args)
  const saved = args.text('save-recipe')
  const threads = threadsFrom(args)
  const whole = await openSound(input, terminal.err)
  await checkTarget(args, input, output, terminal)
  if (saved !== undefined) checkPlace(saved)
  const part = file?.range ? soundWithin(whole, file.range, input) : whole
  const { tempo } = part.markers
  const sound = file?.marked ? { ...part, markers: { ...file.marked, ...(tempo && { tempo }) } } : part
  const told = file?.attacks && { attacks: file.attacks }
  const auto = isAuto(args)
  const { recipe: asked, known: heard = told } = pacedFor(sound, wanted, pacing, terminal)
  const { recipe, known } = auto ? await chosenFor(sound, asked, threads, terminal) : { recipe: asked, known: heard }
  const tags = file ? file.tags : args.flag('tags') ? tagsFor(input, recipe, args.text('date')) : undefined
  const rest = auto ? { ...terminal, progress: restOf(terminal) } : terminal
  await renderFile(sound, recipe, written, output, threads, rest, known, tags)
  if (saved !== undefined) {
    const { recipe: _, ...kept } = tags ?? {}
    const { frames, sampleRate } = soundSource(sourceOf(whole))
    const text = recipeText({
      recipe,
      source: { name: basename(input), frames, sampleRate },
      ...(file?.range && { range: file.range }),
      ...(file?.attacks && { attacks: file.attacks }),
      file: deliveryFor(written, sound),
      markers: written.markers === 'keep' && file?.marked ? file.marked : written.markers,
      ...(tags && { tags: kept }),
    })
    writeWhole(saved, text)
  }
}

/** by measuring: every method is tried on this sound */
const AUTO = 'auto'
const isAuto = (args: Arguments) => args.text('method') === AUTO

/** The method that does least harm to a sound, or several joined, with the reason told. */
async function chosenFor(sound: OpenSound, asked: Recipe, threads: number, { err, progress }: Terminal) {
  const source = soundSource(sourceOf(sound))
  const first = { from: 0, to: 0.1 * CHOOSING }
  const rest = { from: first.to, to: CHOOSING }
  const { choosing, known: before } = drive(choosingTask(source, asked, {}), progress, first)
  const { recipe, known, ranked } = await lookBeside(choosing, sound, before, threads, progress, rest)
  const [best, next] = ranked
  const { joins = [] } = recipe
  const joined = joins.length > 0 ? `, joined at ${joins.map(({ source }) => source.toFixed(2)).join(', ')} s` : ''
  if (best) err(`zumbet: ${methodText(recipe)}${joined}: ${reasonOf(best.trial.measurement, next?.trial.measurement)}`)
  return { recipe, known }
}

/** The progress of what is left when the choice is made. */
const restOf =
  ({ progress }: Terminal): Terminal['progress'] =>
  (share) =>
    progress(CHOOSING + (1 - CHOOSING) * share)

async function recipeAsked(args: Arguments): Promise<Recipe> {
  const methodId = args.text('method')
  if (methodId === undefined)
    throw new UsageError(`--method, or --recipe, is needed: ${AUTO}, ${methods.map((m) => m.id).join(', ')}`)
  if (methodId === AUTO) {
    if (args.texts('set').length > 0) throw new UsageError('--set is about one method: name it, or leave --set out')
    return recipeFrom(args, 'wsola', args.number('stretch') ?? 1)
  }
  return recipeFrom(args, methodId, args.number('stretch') ?? 1)
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

/** The order of a draft of the result, or of the result itself where a plain WAV file is what is wanted. */
export const exportOrder = (sound: OpenSound, recipe: Recipe, delivery: Delivery, said: Said): ExportOrder => {
  const { channelCount } = soundSource(sourceOf(sound))
  const plain = isPlain(delivery, channelCount)
  return {
    recipe,
    format: draftDepth(delivery, channelCount),
    markers: plain && said.markers === 'drop' ? NO_MARKERS : sound.markers,
    rate: delivery.rate,
    sourceBits: sound.depth?.float ? undefined : sound.depth?.bits,
    dither: delivery.dither,
    ...(plain && { tags: said.tags }),
  }
}

export async function renderFile(
  sound: OpenSound,
  recipe: Recipe,
  written: Written,
  output: string,
  threads: number,
  terminal: Terminal,
  known?: Analysis,
  tags: SoundTags = {},
) {
  const { out, err, progress } = terminal
  const delivery = deliveryFor(written, sound)
  const said: Said = { markers: written.markers, tags, seed: recipe.seed }
  const order = exportOrder(sound, recipe, delivery, said)
  const { sampleRate, channelCount } = soundSource(sourceOf(sound))
  const plain = isPlain(delivery, channelCount)
  const sink = partialFile(output)
  const draft = plain ? undefined : partialFile(`${output}.draft`)
  try {
    const made = await writeDraft(sound, order, draft ?? sink, output, threads, known, (share) =>
      progress(plain ? share : 0.8 * share),
    )
    const delivered = draft
      ? await deliverDraft(draft.place, delivery, said, sink, (share) => progress(0.8 + 0.2 * share))
      : undefined
    sink.keep()
    draft?.discard()
    const hz = delivery.rate ?? sampleRate
    if (wavRate(hz) !== hz) err(`zumbet: a WAV file holds whole rates: ${hz} Hz is written as ${wavRate(hz)} Hz.`)
    const clipped = made.clippedSamples + (delivered?.clippedSamples ?? 0)
    if (clipped > 0) {
      err(`zumbet: ${clipped} samples were over full scale and were limited; --depth 32f keeps them.`)
    }
    if (delivered) tellDelivered(output, delivered, delivery, err)
    const channels = delivered?.channels ?? channelCount
    const level = delivered?.level ? levelText(delivered) : `, peak ${dbText(made.peak)} dBFS`
    out(
      `${output}: ${made.frames} frames, ${(made.frames / hz).toFixed(3)} s, ${hz} Hz, ${channels} channels, ${deliveryName(delivery)}${level}`,
    )
  } catch (error) {
    sink.discard()
    draft?.discard()
    throw error
  }
}

/** The result as a WAV file, its pieces made by so many threads at once. */
async function writeDraft(
  sound: OpenSound,
  order: ExportOrder,
  sink: ReturnType<typeof partialFile>,
  target: string,
  threads: number,
  known: Analysis | undefined,
  progress: (share: number) => void,
) {
  const plan = drive(planExportTask(sourceOf(sound), order, known), progress, { from: 0, to: ANALYSING })
  sink.write(plan.header, 0)
  const made = await makePieces(sound, { order, plan, place: sink.place, target }, threads, (share) =>
    progress(ANALYSING + (1 - ANALYSING) * share),
  )
  sink.write(plan.footer, plan.bytes - plan.footer.length)
  return exportFacts(plan, made)
}
