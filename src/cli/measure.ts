import type { Artefact, Measurement } from '../core'
import {
  AppError,
  analyse,
  artefactKind,
  asShaped,
  comparisonOf,
  figureOf,
  findingOf,
  foundFigureOf,
  gradeOfArtefact,
  heardPlacesOf,
  measureInParts,
  measureTask,
  planOf,
  type SoundSource,
  soundSource,
  verdictOf,
} from '../core'
import { places, readArguments, UsageError } from './args'
import { drive } from './drive'
import { openSound, sourceOf } from './files'
import { RECIPE_FLAGS, recipeFrom } from './recipeFlags'
import type { Terminal } from './terminal'

type Say = (line: string) => void

const round = (value: number, digits = 4) => Number(value.toFixed(digits))

/** A result may be so much shorter or longer than its map says before it is called another sound's, share. */
const LENGTH_TOLERANCE = 0.02

/** longer sounds are measured in parts, a minute of the source or of the result each */
const LONG_SECONDS = 180
const PART_SECONDS = 60

/** `measure SOURCE RESULT`: every kind of harm that a result shows, whoever made it. */
export async function measureSounds(words: readonly string[], { out, err, progress }: Terminal) {
  const args = readArguments(words, [...RECIPE_FLAGS, 'stretch', 'map'], ['json'])
  const [sourceFile, resultFile] = places(args, ['SOURCE', 'RESULT']) as [string, string]
  const stretch = args.number('stretch')
  if (stretch === undefined && args.text('map') === undefined) {
    throw new UsageError('--stretch or --map is needed: what was meant to happen?')
  }
  const recipe = await recipeFrom(args, args.text('method') ?? 'vocoder', stretch ?? 1)
  const a = soundSource(sourceOf(await openSound(sourceFile, err)))
  const b = soundSource(sourceOf(await openSound(resultFile, err)))
  if (a.sampleRate !== b.sampleRate) {
    throw new AppError('measure/rate', { source: a.sampleRate, result: b.sampleRate })
  }
  if (a.channelCount !== b.channelCount) {
    throw new AppError('measure/channels', { source: a.channelCount, result: b.channelCount })
  }
  const expected = planOf(recipe, a).map.outputFrames
  const { frames } = b
  if (Math.abs(frames - expected) > LENGTH_TOLERANCE * expected + 0.05 * a.sampleRate) {
    throw new AppError('measure/length', { expected, frames })
  }
  if (frames !== expected) {
    err(`zumbet: the result has ${frames} frames where ${expected} were meant; it is measured from its start.`)
  }
  const long = Math.max(a.frames, b.frames) > LONG_SECONDS * a.sampleRate
  const all = (source: SoundSource) => source.part(0, source.frames)
  const heard = asShaped(a, recipe.prepare ? analyse(a, ['attacks']) : {}, recipe).source
  const measurement = drive(
    long
      ? measureInParts(heard, b, recipe, PART_SECONDS * Math.max(1, expected / a.frames))
      : measureTask(comparisonOf(all(heard), all(b), recipe)),
    progress,
  )
  if (args.flag('json')) out(JSON.stringify(plainMeasurement(measurement, a.sampleRate)))
  else tell(measurement, a.sampleRate, out)
}

/** What `--json` prints; its shape is a contract (docs/measures.md). `seconds` is source time. */
export function plainMeasurement(measurement: Measurement, sampleRate: number) {
  return {
    artefacts: measurement.artefacts.map((artefact) => toldArtefact(artefact, sampleRate)),
    verdict: verdictOf(measurement, sampleRate),
  }
}

function toldArtefact(artefact: Artefact, sampleRate: number) {
  const { id, value, measured, short, places: where, parts } = artefact
  return {
    id,
    label: artefactKind(id).label,
    value: round(value),
    unit: artefactKind(id).unit,
    audibleFrom: artefactKind(id).audibleFrom,
    grade: gradeOfArtefact(artefact),
    measured,
    ...(short && { short }),
    parts: Object.fromEntries(Object.entries(parts).map(([name, part]) => [name, round(part)])),
    places: where
      .filter((place) => place.value > 0)
      .map((place) => ({ seconds: round(place.sourceFrame / sampleRate), value: round(place.value) })),
  }
}

function tell(measurement: Measurement, sampleRate: number, out: Say) {
  out(verdictOf(measurement, sampleRate))
  for (const artefact of measurement.artefacts) {
    const { label } = artefactKind(artefact.id)
    if (!artefact.measured) {
      out(`  ${label.padEnd(14)} ${artefact.short ? 'too short to tell' : 'nothing to measure it on'}`)
      continue
    }
    const finding = findingOf(artefact)
    const worst = heardPlacesOf(artefact).sort((x, y) => y.value - x.value)[0]
    const at = worst ? `, most at ${(worst.sourceFrame / sampleRate).toFixed(2)} s` : ''
    const figure = finding?.local ? `${figureOf(artefact)}, ${foundFigureOf(finding)}` : figureOf(artefact)
    out(`  ${label.padEnd(14)} ${figure.padEnd(22)} ${gradeOfArtefact(artefact)}${at}`)
  }
}
