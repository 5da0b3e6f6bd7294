import {
  analyse,
  breaksOf,
  curveOf,
  figureOf,
  finish,
  frameCount,
  methodById,
  methods,
  planOf,
  pointSeverity,
  SEVERITY,
  SWEEP_POINTS,
  type SweepAxis,
  type SweepPoint,
  sweepCsv,
  sweepData,
  sweepRecipe,
  sweepSeconds,
  tellingSpan,
  trialTask,
  withoutPlaces,
  worstOf,
} from '../core'
import { places, readArguments, UsageError } from './args'
import { open } from './files'

type Say = (line: string) => void

const AXES: readonly SweepAxis[] = ['length', 'far', 'pitch']

/** `sweep IN`: one source through many lengths or pitches by several methods, as the page's sweep measures it. */
export async function sweepSound(words: readonly string[], out: Say, err: Say) {
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
  for (const id of methodIds) methodById(id)
  const wanted = args.text('at')?.split(',').map(Number)
  const strange = wanted?.find((at) => !SWEEP_POINTS[axis].includes(at))
  if (strange !== undefined) throw new UsageError(`--at takes some of ${SWEEP_POINTS[axis].join(', ')}`)
  const formants = args.text('formants') ?? 'move'
  if (formants !== 'move' && formants !== 'keep' && formants !== 'shift') {
    throw new UsageError('--formants takes move, keep or shift')
  }
  const base = {
    formants,
    formantSemitones: args.number('formant-semitones') ?? 0,
    holdPercent: args.number('hold-attacks') ?? 0,
  } as const
  const { audio } = await open(input, err)
  const size = { frames: frameCount(audio), sampleRate: audio.sampleRate }
  const known = analyse(audio, ['attacks', 'pitch'])
  const attacks = (known.attacks ?? []).map(({ frame }) => frame)
  const points: SweepPoint[] = []
  for (const at of wanted ?? SWEEP_POINTS[axis]) {
    for (const methodId of methodIds) {
      const recipe = sweepRecipe(base, methodId, axis, at)
      const span = tellingSpan(audio, planOf(recipe, size, known.attacks).map, attacks, sweepSeconds(axis, at))
      points.push({ axis, at, methodId, ...withoutPlaces(finish(trialTask(audio, recipe, span, known))) })
    }
    err(`zumbet: ${at} measured`)
  }
  if (args.flag('json')) out(JSON.stringify(sweepData(input, axis, points, audio.sampleRate)))
  else if (args.flag('csv')) out(sweepCsv(axis, points).trimEnd())
  else for (const methodId of methodIds) tellMethod(methodId, axis, points, out)
}

function tellMethod(methodId: string, axis: SweepAxis, points: readonly SweepPoint[], out: Say) {
  const { low, high } = breaksOf(axis, curveOf(points, methodId), SEVERITY.clear)
  const told = [low !== undefined && `below ${low.toFixed(2)}`, high !== undefined && `above ${high.toFixed(2)}`]
  const where = told.filter(Boolean).join(' and ')
  out(`${methodById(methodId).label}: ${where ? `clear harm ${where}` : 'no clear harm where it was tried'}`)
  for (const point of points.filter((one) => one.methodId === methodId)) {
    const worst = worstOf(point.measurement)
    const audible = worst && (pointSeverity(point, 'worst') ?? 0) >= SEVERITY.audible
    out(
      `  ${String(point.at).padStart(6)}  ${audible ? `${worst.artefact.id} ${figureOf(worst.artefact)}` : 'nothing audible'}`,
    )
  }
}
