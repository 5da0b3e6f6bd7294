import { basename } from 'node:path'
import { type Knowledge, know, soundSource, suggestMethod } from '../core'
import { type Aim, stretchFor } from '../session/batch/plan'
import { aimOf, positive } from './aims'
import { type Arguments, places, readArguments, UsageError } from './args'
import { drive } from './drive'
import { openSound, sourceOf } from './files'
import { checkOutput } from './output'
import { pacedFor, pacingFrom } from './pacing'
import { methodOf, RENDER_FLAGS, recipeFrom } from './recipeFlags'
import { checkTarget, renderFile } from './render'
import type { Terminal } from './terminal'
import { threadsFrom } from './threads'

/** `fit IN OUT.wav`: says what the result is to be, and lets the stretch and the method follow. */
export async function fitSound(words: readonly string[], terminal: Terminal) {
  const { err, progress } = terminal
  const args = readArguments(
    words,
    [...RENDER_FLAGS, 'seconds', 'bpm', 'bars', 'beats-per-bar', 'workers', 'pacing'],
    ['force'],
  )
  const [input, output] = places(args, ['IN', 'OUT.wav']) as [string, string]
  const wanted = ['seconds', 'bpm', 'bars'].filter((name) => args.text(name) !== undefined)
  if (wanted.length !== 1) throw new UsageError('give one of --seconds, --bpm FROM:TO or --bars N@BPM')
  const written = checkOutput(args, output)
  const threads = threadsFrom(args)
  const pacing = pacingFrom(args)
  const chosen = args.text('method')
  if (chosen !== undefined) methodOf(chosen)
  const aim = fitAim(args)

  const sound = await openSound(input, err)
  await checkTarget(args, input, output, terminal)
  const source = soundSource(sourceOf(sound))
  let known: Knowledge | undefined
  // only asked where it is needed: finding out takes a while
  const knowledge = () => {
    known ??= drive(know(source, { file: basename(input) }), progress)
    return known
  }
  const stretch = stretchFor(aim, source, () => knowledge().tempo)
  if (stretch === undefined) throw new UsageError('its tempo could not be told: say it, like --bpm 128:120')
  const suggested = chosen === undefined ? suggestMethod(knowledge().material, stretch) : undefined
  const asked = await recipeFrom(args, suggested?.methodId ?? (chosen as string), stretch)
  const { recipe, known: found } = pacedFor(sound, asked, pacing, terminal)
  const why = suggested ? ` (${knowledge().material.kind}: ${suggested.why})` : ''
  err(`zumbet: stretch ${Number(stretch.toFixed(6))}, method ${recipe.methodId}${why}`)
  await renderFile(sound, recipe, written, output, threads, terminal, found)
}

/** The aim of a fit: also so many bars at a tempo. */
function fitAim(args: Arguments): Aim {
  const aim = aimOf(args)
  if (aim) return aim
  const text = args.text('bars') as string
  const [bars, at, ...more] = text.split('@').map(positive)
  const beats = args.number('beats-per-bar') ?? 4
  if (bars === undefined || at === undefined || more.length > 0) {
    throw new UsageError(`--bars takes BARS@BPM, like 4@96, not "${text}"`)
  }
  if (!(beats >= 1 && beats <= 32)) throw new UsageError('--beats-per-bar takes 1 to 32')
  return { kind: 'seconds', seconds: (bars * beats * 60) / at }
}
