import {
  ALL_NEEDS,
  analyseTask,
  breaksOf,
  checkRecipe,
  curveOf,
  findingsOf,
  foundFigureOf,
  isTold,
  methodById,
  methods,
  planOf,
  SEVERITY,
  SWEEP_POINTS,
  type SweepAxis,
  type SweepPoint,
  soundSource,
  sweepCsv,
  sweepData,
  sweepRecipe,
  sweepSeconds,
  tellingSpan,
  traitsOf,
  trialTask,
  withoutPlaces,
} from '../core'
import { places, readArguments, UsageError } from './args'
import { drive } from './drive'
import { openSound, sourceOf } from './files'
import { methodOf, ofFlags } from './recipeFlags'
import type { Terminal } from './terminal'

type Say = (line: string) => void

const AXES: readonly SweepAxis[] = ['length', 'far', 'pitch']

/** `sweep IN`: one source through many lengths or pitches by several methods, as the page's sweep measures it. */
export async function sweepSound(words: readonly string[], { out, err, progress }: Terminal) {
  const args = readArguments(
    words,
    ['axis', 'methods', 'at', 'formants', 'formant-semitones', 'hold-attacks'],
    ['json', 'csv'],
  )
  const [input] = places(args, ['IN']) as [string]
  const axis = (args.text('axis') ?? 'length') as SweepAxis
  if (!AXES.includes(axis)) throw new UsageError(`--axis takes ${AXES.join(', ')}`)
  if (args.flag('json') && args.flag('csv')) throw new UsageError('--json or --csv, not both')
  const methodIds = args.text('methods')?.split(',') ?? methods.map(({ id }) => id)
  for (const id of methodIds) methodOf(id)
  const wanted = args.text('at')?.split(',').map(Number)
  const strange = wanted?.find((at) => !SWEEP_POINTS[axis].includes(at))
  if (strange !== undefined) throw new UsageError(`--at takes some of ${SWEEP_POINTS[axis].join(', ')}`)
  const formants = args.text('formants') ?? 'move'
  if (formants !== 'move' && formants !== 'keep' && formants !== 'shift') {
    throw new UsageError('--formants takes move, keep or shift')
  }
  const formantSemitones = args.number('formant-semitones')
  if (formantSemitones !== undefined && formants !== 'shift')
    throw new UsageError('--formant-semitones goes with --formants shift')
  const base = {
    formants,
    formantSemitones: formantSemitones ?? 0,
    holdPercent: args.number('hold-attacks') ?? 0,
  } as const
  const ats = wanted ?? SWEEP_POINTS[axis]
  const recipes = ats.flatMap((at) =>
    methodIds.map((methodId) => ({
      at,
      methodId,
      recipe: ofFlags(() => checkRecipe(sweepRecipe(base, methodId, axis, at))),
    })),
  )
  const source = soundSource(sourceOf(await openSound(input, err)))
  const steps = recipes.length + 1
  const known = drive(analyseTask(source, ALL_NEEDS), progress, { from: 0, to: 1 / steps })
  const attacks = (known.attacks ?? []).map(({ frame }) => frame)
  const traits = traitsOf(source)
  const points = recipes.map(({ at, methodId, recipe }, n): SweepPoint => {
    const { map } = planOf(recipe, source, known.attacks)
    const span = tellingSpan(source, map, attacks, sweepSeconds(axis, at), () => traits)
    const part = { from: (n + 1) / steps, to: (n + 2) / steps }
    const trial = drive(trialTask(source, recipe, span, known), (share) => progress(share, `at ${at}`), part)
    return { axis, at, methodId, ...withoutPlaces(trial) }
  })
  if (args.flag('json')) out(JSON.stringify(sweepData(input, axis, points, source.sampleRate)))
  else if (args.flag('csv')) out(sweepCsv(axis, points).trimEnd())
  else for (const methodId of methodIds) tellMethod(methodId, axis, points, out)
}

function tellMethod(methodId: string, axis: SweepAxis, points: readonly SweepPoint[], out: Say) {
  const { low, high } = breaksOf(axis, curveOf(points, methodId), SEVERITY.clear)
  const told = [low !== undefined && `below ${low.toFixed(2)}`, high !== undefined && `above ${high.toFixed(2)}`]
  const where = told.filter(Boolean).join(' and ')
  out(`${methodById(methodId).label}: ${where ? `clear harm ${where}` : 'no clear harm where it was tried'}`)
  for (const point of points.filter((one) => one.methodId === methodId)) {
    const [worst] = findingsOf(point.measurement)
    const nothing = isTold(point.measurement) ? 'nothing audible' : 'too short to tell'
    out(`  ${String(point.at).padStart(6)}  ${worst ? `${worst.artefact.id} ${foundFigureOf(worst)}` : nothing}`)
  }
}
