import { basename } from 'node:path'
import {
  AppError,
  finish,
  type Knowledge,
  know,
  mixTask,
  PLAIN_INSTRUMENT,
  playedVoice,
  readyInstrument,
  soundSource,
  suggestMethod,
  VOICES_RANGE,
} from '../core'
import { keyOfHz, keyText, readNotes, readRoot } from '../session/notesFile'
import { type Arguments, places, readArguments, UsageError } from './args'
import { drive } from './drive'
import { dbText, formatName, openSound, ownFormat, readBytes, sourceOf } from './files'
import { checkPlainOutput } from './output'
import { checkPlace, partialFile } from './places'
import { RENDER_FLAGS, recipeFrom } from './recipeFlags'
import { checkTarget } from './render'
import type { Terminal } from './terminal'

/** share of the work that is looking at the source */
const READY = 0.2
/** below it a root would be guessed */
const SURE_ROOT = 0.3
const FLAGS = ['stretch', 'map', 'root', 'length', 'play', 'attack', 'release', 'voices', 'glide'] as const

/** `play IN NOTES.mid OUT.wav`: a sound played by the notes of a MIDI file, by any method. */
export async function playNotes(words: readonly string[], terminal: Terminal) {
  const { out, err, progress } = terminal
  const args = readArguments(words, [...RENDER_FLAGS, ...FLAGS], ['force'])
  const [input, notesFile, output] = places(args, ['IN', 'NOTES.mid', 'OUT.wav']) as [string, string, string]
  const { depth, rate } = checkPlainOutput(args, output)
  const wanted = playingFrom(args)
  const rootText = args.text('root')
  const said = rootText === undefined ? undefined : readRoot(rootText)
  if (rootText !== undefined && said === undefined)
    throw new UsageError(`--root takes a note, like A3 or F#2, or Hz, not "${rootText}"`)
  const notes = readNotes(await readBytes(notesFile), basename(notesFile))
  checkPlace(output)
  const sound = await openSound(input, err)
  await checkTarget(args, input, output, terminal)
  const source = soundSource(sourceOf(sound))
  let known: Knowledge | undefined
  const knowledge = () => {
    known ??= drive(know(source, { file: basename(input) }), progress, { from: 0, to: READY })
    return known
  }
  const root = said ?? rootOf(knowledge(), input)
  const stretch = args.number('stretch') ?? 1
  const suggested = args.text('method') === undefined ? suggestMethod(knowledge().material, stretch) : undefined
  const recipe = await recipeFrom(args, suggested?.methodId ?? (args.text('method') as string), stretch)
  err(
    `zumbet: root ${keyText(root)}${said === undefined ? ' (found)' : ''}, method ${recipe.methodId}, ${notes.length} notes`,
  )
  const instrument = finish(readyInstrument(source, { ...PLAIN_INSTRUMENT, ...wanted, id: 'own', recipe, root }))
  const hz = rate ?? source.sampleRate
  const played = playedVoice(
    notes.map(({ onSeconds, offSeconds, key, velocity }) => ({
      instrument: 'own',
      key,
      velocity,
      on: Math.round(onSeconds * hz),
      off: Math.round(offSeconds * hz),
    })),
    new Map([['own', instrument]]),
    hz,
  )
  const format = depth ?? ownFormat(sound)
  const sink = partialFile(output)
  try {
    const facts = drive(
      mixTask(played.voice, { from: 0, to: played.frames, rate: hz, format }, (bytes) => sink.write(bytes)),
      progress,
      { from: READY, to: 1 },
    )
    sink.keep()
    if (facts.clippedSamples > 0)
      err(`zumbet: ${facts.clippedSamples} samples were over full scale and were limited; --depth 32f keeps them.`)
    out(
      `${output}: ${facts.frames} frames, ${(facts.frames / hz).toFixed(3)} s, ${hz} Hz, 2 channels, ${formatName(format)}, peak ${dbText(facts.peak)} dBFS`,
    )
  } catch (error) {
    sink.discard()
    throw error
  }
}

/** @throws {AppError} `play/no-root` */
export function rootOf({ pitch }: Knowledge, input: string): number {
  if (pitch.rootHz !== undefined && pitch.confidence >= SURE_ROOT) return keyOfHz(pitch.rootHz)
  throw new AppError('play/no-root', { file: basename(input) })
}

function playingFrom(args: Arguments) {
  const one = <T extends string>(name: string, options: readonly T[], otherwise: T): T => {
    const text = args.text(name) ?? otherwise
    if (!(options as readonly string[]).includes(text)) throw new UsageError(`--${name} takes ${options.join(' or ')}`)
    return text as T
  }
  const within = (name: string, least: number, most: number, otherwise: number) => {
    const value = args.number(name) ?? otherwise
    if (!(value >= least && value <= most)) throw new UsageError(`--${name} takes ${least} to ${most}`)
    return value
  }
  const voices = within('voices', VOICES_RANGE.min, VOICES_RANGE.max, PLAIN_INSTRUMENT.voices)
  if (!Number.isInteger(voices)) throw new UsageError('--voices takes a whole number')
  return {
    length: one('length', ['keep', 'tape'], PLAIN_INSTRUMENT.length),
    play: one('play', ['hold', 'through', 'loop'], PLAIN_INSTRUMENT.play),
    attackMs: within('attack', 0, 10_000, PLAIN_INSTRUMENT.attackMs),
    releaseMs: within('release', 0, 30_000, PLAIN_INSTRUMENT.releaseMs),
    glideMs: within('glide', 0, 5000, PLAIN_INSTRUMENT.glideMs),
    voices,
  }
}
