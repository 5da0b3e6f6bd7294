import { basename } from 'node:path'
import { type Knowledge, know, soundSource, stretchForFrames, suggestMethod } from '../core'
import { type Arguments, places, readArguments, UsageError } from './args'
import { drive } from './drive'
import { openSound, sourceOf } from './files'
import { methodOf, RENDER_FLAGS, recipeFrom } from './recipeFlags'
import { checkOutput, checkTarget, renderFile } from './render'
import type { Terminal } from './terminal'
import { threadsFrom } from './threads'

/** how sure a found tempo has to be to start from */
const LEAST_CONFIDENCE = 0.5

/** `fit IN OUT.wav`: says what the result is to be, and lets the stretch and the method follow. */
export async function fitSound(words: readonly string[], terminal: Terminal) {
  const { err, progress } = terminal
  const args = readArguments(words, [...RENDER_FLAGS, 'seconds', 'bpm', 'bars', 'beats-per-bar', 'workers'], ['force'])
  const [input, output] = places(args, ['IN', 'OUT.wav']) as [string, string]
  const wanted = ['seconds', 'bpm', 'bars'].filter((name) => args.text(name) !== undefined)
  if (wanted.length !== 1) throw new UsageError('give one of --seconds, --bpm FROM:TO or --bars N@BPM')
  const written = checkOutput(args, output)
  const threads = threadsFrom(args)
  const chosen = args.text('method')
  if (chosen !== undefined) methodOf(chosen)
  const aim = aimOf(args)

  const sound = await openSound(input, err)
  await checkTarget(args, input, output, terminal)
  const source = soundSource(sourceOf(sound))
  let known: Knowledge | undefined
  // only asked where it is needed: finding out takes a while
  const knowledge = () => {
    known ??= drive(know(source, { file: basename(input) }), progress)
    return known
  }
  const stretch = stretchFor(aim, knowledge, source.frames, source.sampleRate)
  const suggested = chosen === undefined ? suggestMethod(knowledge().material, stretch) : undefined
  const recipe = await recipeFrom(args, suggested?.methodId ?? (chosen as string), stretch)
  const why = suggested ? ` (${knowledge().material.kind}: ${suggested.why})` : ''
  err(`zumbet: stretch ${Number(stretch.toFixed(6))}, method ${recipe.methodId}${why}`)
  await renderFile(sound, recipe, written, output, threads, terminal)
}

type Aim =
  | { readonly kind: 'seconds'; readonly seconds: number }
  | { readonly kind: 'bpm'; readonly from: number | undefined; readonly to: number }

const positive = (text: string | undefined) => {
  const value = Number(text)
  return text !== undefined && text.trim() !== '' && Number.isFinite(value) && value > 0 ? value : undefined
}

function aimOf(args: Arguments): Aim {
  const seconds = args.text('seconds')
  if (seconds !== undefined) {
    const value = positive(seconds)
    if (value === undefined) throw new UsageError(`--seconds takes a length over 0, not "${seconds}"`)
    return { kind: 'seconds', seconds: value }
  }
  const bpm = args.text('bpm')
  if (bpm !== undefined) {
    const [first, second, ...more] = bpm.split(':')
    const to = positive(second ?? first)
    const from = second === undefined || first === '' ? undefined : positive(first)
    if (to === undefined || more.length > 0 || (second !== undefined && first !== '' && from === undefined)) {
      throw new UsageError(`--bpm takes FROM:TO in beats a minute, like 128:120, not "${bpm}"`)
    }
    return { kind: 'bpm', from, to }
  }
  const text = args.text('bars') as string
  const [bars, at, ...more] = text.split('@').map(positive)
  const beats = args.number('beats-per-bar') ?? 4
  if (bars === undefined || at === undefined || more.length > 0) {
    throw new UsageError(`--bars takes BARS@BPM, like 4@96, not "${text}"`)
  }
  if (!(beats >= 1 && beats <= 32)) throw new UsageError('--beats-per-bar takes 1 to 32')
  return { kind: 'seconds', seconds: (bars * beats * 60) / at }
}

function stretchFor(aim: Aim, knowledge: () => Knowledge, frames: number, sampleRate: number): number {
  if (aim.kind === 'seconds') return stretchForFrames(frames, Math.max(1, Math.round(aim.seconds * sampleRate)))
  if (aim.from !== undefined) return aim.from / aim.to
  const { bpm, confidence } = knowledge().tempo
  if (bpm === undefined || confidence < LEAST_CONFIDENCE) {
    throw new UsageError('its tempo could not be told: say it, like --bpm 128:120')
  }
  return bpm / aim.to
}
