import {
  analyse,
  finish,
  frameCount,
  harmOf,
  methodById,
  methods,
  planOf,
  rankTrials,
  reasonOf,
  tellingSpan,
  trialTask,
} from '../core'
import { places, readArguments, UsageError } from './args'
import { open } from './files'
import { plainMeasurement } from './measure'
import { RECIPE_FLAGS, recipeFrom } from './recipeFlags'

type Say = (line: string) => void

/** as the page's advice does it */
const TRIED_SECONDS = 8

/** `advise IN`: every method tried on the part of the result that tells most, measured, and ranked with its reasons. */
export async function adviseMethod(words: readonly string[], out: Say, err: Say) {
  const args = readArguments(words, [...RECIPE_FLAGS.filter((flag) => flag !== 'method'), 'stretch', 'map'], ['json'])
  const [input] = places(args, ['IN']) as [string]
  if (args.text('stretch') === undefined && args.text('map') === undefined && args.number('semitones') === undefined) {
    throw new UsageError('--stretch, --map or --semitones is needed: what is wanted of it?')
  }
  const { audio } = await open(input, err)
  const size = { frames: frameCount(audio), sampleRate: audio.sampleRate }
  const known = analyse(audio, ['attacks', 'pitch'])
  const attacks = (known.attacks ?? []).map(({ frame }) => frame)
  const tried = []
  for (const { id, tiesPitchToSpeed } of methods) {
    if (tiesPitchToSpeed) continue
    const recipe = await recipeFrom(args, id, args.number('stretch') ?? 1)
    const span = tellingSpan(audio, planOf(recipe, size, known.attacks).map, attacks, TRIED_SECONDS)
    tried.push({ methodId: id, trial: finish(trialTask(audio, recipe, span, known)) })
  }
  const ranked = rankTrials(tried)
  const reason = (n: number) =>
    reasonOf(ranked[n]?.trial.measurement as never, ranked[n === 0 ? 1 : 0]?.trial.measurement)
  if (args.flag('json')) {
    const rows = ranked.map(({ methodId, close, trial: { span, measurement } }, n) => ({
      methodId,
      harm: Number(harmOf(measurement).toFixed(4)),
      close,
      reason: reason(n),
      tried: { fromSeconds: span.from / audio.sampleRate, toSeconds: span.to / audio.sampleRate },
      ...plainMeasurement(measurement, audio.sampleRate),
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
