import { ALL_NEEDS, analyseTask, freeMethods, harmOf, methodById, reasonOf, soundSource, tryMethods } from '../core'
import { places, readArguments, UsageError } from './args'
import { drive } from './drive'
import { openSound, sourceOf } from './files'
import { lookBeside } from './looks'
import { plainMeasurement } from './measure'
import { RECIPE_FLAGS, recipeFrom } from './recipeFlags'
import type { Terminal } from './terminal'
import { threadsFrom } from './threads'

/** `advise IN`: every method tried on the part of the result that tells most, measured, and ranked with its reasons. */
export async function adviseMethod(words: readonly string[], { out, err, progress }: Terminal) {
  const args = readArguments(
    words,
    [...RECIPE_FLAGS.filter((flag) => flag !== 'method'), 'stretch', 'map', 'workers'],
    ['json'],
  )
  const [input] = places(args, ['IN']) as [string]
  if (args.text('stretch') === undefined && args.text('map') === undefined && args.number('semitones') === undefined) {
    throw new UsageError('--stretch, --map or --semitones is needed: what is wanted of it?')
  }
  const recipes = await Promise.all(freeMethods.map(({ id }) => recipeFrom(args, id, args.number('stretch') ?? 1)))
  const threads = threadsFrom(args)
  const sound = await openSound(input, err)
  const source = soundSource(sourceOf(sound))
  const { sampleRate } = source
  const first = 1 / (recipes.length + 1)
  const known = drive(analyseTask(source, ALL_NEEDS), progress, { from: 0, to: first })
  const trying = tryMethods(source, recipes, known)
  const ranked = await lookBeside(trying, sound, known, threads, progress, { from: first, to: 1 })
  const reason = (n: number) =>
    reasonOf(ranked[n]?.trial.measurement as never, ranked[n === 0 ? 1 : 0]?.trial.measurement)
  if (args.flag('json')) {
    const rows = ranked.map(({ methodId, close, trial: { span, measurement } }, n) => ({
      methodId,
      harm: Number(harmOf(measurement).toFixed(4)),
      close,
      reason: reason(n),
      tried: { fromSeconds: span.from / sampleRate, toSeconds: span.to / sampleRate },
      ...plainMeasurement(measurement, sampleRate),
    }))
    out(JSON.stringify(rows))
    return
  }
  ranked.forEach(({ methodId, harm, close }, n) => {
    out(
      `${n + 1} ${methodById(methodId).label.padEnd(16)} ${harm.toFixed(1).padStart(5)}${close ? ' close' : '      '}  ${reason(n)}`,
    )
  })
}
