import {
  createWavWriter,
  type Imprint,
  imprintFrames,
  imprintTask,
  NO_MARKERS,
  openRendering,
  PLAIN_IMPRINT,
  peakOf,
  type Side,
  sideOf,
  soundSource,
} from '../core'
import { type Arguments, places, readArguments, UsageError } from './args'
import { drive } from './drive'
import { dbText, formatName, type OpenSound, openSound, ownFormat, sourceOf } from './files'
import { checkPlainOutput } from './output'
import { checkPlace, partialFile } from './places'
import { recipeFrom } from './recipeFlags'
import { checkTarget } from './render'
import type { Terminal } from './terminal'

const KINDS = ['bands', 'columns', 'whole'] as const

/** `imprint BODY RHYTHM OUT.wav --by …`: one sound shaped by another. */
export async function imprintSound(words: readonly string[], terminal: Terminal) {
  const { out, err, progress } = terminal
  const args = readArguments(
    words,
    ['by', 'amount', 'bands', 'smoothing', 'stretch', 'rhythm-stretch', 'method', 'depth'],
    ['force'],
  )
  const [bodyFile, rhythmFile, output] = places(args, ['BODY', 'RHYTHM', 'OUT.wav']) as [string, string, string]
  const imprint = imprintFrom(args)
  const { depth } = checkPlainOutput(args, output)
  checkPlace(output)
  const sounds = [await openSound(bodyFile, err), await openSound(rhythmFile, err)] as const
  for (const input of [bodyFile, rhythmFile]) await checkTarget(args, input, output, terminal)
  const body = await sideFrom(sounds[0], args, 'stretch')
  const rhythm = await sideFrom(sounds[1], args, 'rhythm-stretch')
  const { sampleRate, channelCount } = body
  const frames = imprintFrames(body, rhythm, imprint)
  const format = depth ?? ownFormat(sounds[0])
  const writer = createWavWriter({
    sampleRate,
    channelCount,
    frames,
    format,
    markers: NO_MARKERS,
    dither: 'flat',
    seed: 1,
  })
  const sink = partialFile(output)
  let peak = 0
  try {
    sink.write(writer.header)
    drive(
      imprintTask(body, rhythm, imprint, (block, count) => {
        peak = Math.max(peak, peakOf(block))
        sink.write(writer.encode(block, count))
      }),
      progress,
    )
    sink.write(writer.footer)
    sink.keep()
  } catch (error) {
    sink.discard()
    throw error
  }
  if (writer.clippedSamples > 0)
    err(`zumbet: ${writer.clippedSamples} samples were over full scale and were limited; --depth 32f keeps them.`)
  out(
    `${output}: ${frames} frames, ${(frames / sampleRate).toFixed(3)} s, ${sampleRate} Hz, ${channelCount} channels, ${formatName(format)}, peak ${dbText(peak)} dBFS`,
  )
}

/** A sound, or what a stretch makes of it. */
async function sideFrom(sound: OpenSound, args: Arguments, flag: string): Promise<Side> {
  const source = soundSource(sourceOf(sound))
  const stretch = args.number(flag) ?? 1
  const recipe = await recipeFrom(args, args.text('method') ?? 'drift', stretch)
  if (stretch === 1) return sideOf(source)
  const { voice, map } = openRendering(source, recipe)
  return { sampleRate: source.sampleRate, channelCount: source.channelCount, frames: map.outputFrames, voice }
}

function imprintFrom(args: Arguments): Imprint {
  const by = args.text('by')
  if (by === undefined || !(KINDS as readonly string[]).includes(by))
    throw new UsageError('--by is needed: bands, columns or whole')
  const within = (name: string, least: number, most: number, otherwise: number) => {
    const value = args.number(name) ?? otherwise
    if (!(value >= least && value <= most)) throw new UsageError(`--${name} takes ${least} to ${most}`)
    return value
  }
  const bands = within('bands', 1, 64, PLAIN_IMPRINT.bands)
  if (!Number.isInteger(bands)) throw new UsageError('--bands takes a whole number')
  return {
    by: by as Imprint['by'],
    amountPercent: within('amount', 0, 100, PLAIN_IMPRINT.amountPercent),
    bands,
    smoothingMs: within('smoothing', 2, 1000, PLAIN_IMPRINT.smoothingMs),
  }
}
