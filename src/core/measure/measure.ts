import { trackPitch } from '../analysis/pitchTrack'
import { nearestPowerOfTwo } from '../dsp/units'
import { partOf, type Task } from '../task'
import { type Artefact, type ArtefactId, tooShort, unmeasured } from './artefacts'
import { attackHarm } from './attackHarm'
import { type AttackPairs, attacksOf, distanceTo, pairAttacks } from './attackPairs'
import { lookBetween } from './between'
import { clicksOf } from './clicks'
import { type Comparison, innerOf } from './comparison'
import { detuneOf } from './detune'
import { formantShiftOf } from './formantShift'
import { localOf } from './grading'
import { type LineRoughness, lineRoughnessOf } from './lineRoughness'
import { readSource, type SourceReading } from './sourceReading'
import { unlikenessOf, unlikenessSeconds } from './unlikeness'

/** All that was measured of one result. */
export interface Measurement {
  readonly artefacts: readonly Artefact[]
  /** mean distance of the log spectra at corresponding moments, dB: no harm by itself, but it tells close results apart */
  readonly unlikenessDb: number
}

/** Counts up when figures change, by a measure or by what a method makes, so that kept ones are taken again. */
export const MEASURE_VERSION = 21

const TICK_SECONDS = 0.012

/**
 * Measure every kind of harm that a result shows against its source.
 * @param reading  of this very source, where there is one already.
 * @param brief  attacks and likeness alone: a third of the work, enough to tell what is far from the source.
 * @throws {RangeError} if the two differ in rate or channel count.
 */
export function* measureTask(
  comparison: Comparison,
  reading?: SourceReading,
  { brief = false }: { readonly brief?: boolean } = {},
): Task<Measurement> {
  const { source, result } = comparison
  if (source.sampleRate !== result.sampleRate || source.channels.length !== result.channels.length) {
    throw new RangeError('measureTask: source and result must have one rate and one channel count')
  }
  const known = reading ?? (yield* partOf(readSource(source, comparison.attacks), 0, 0.15))
  const resultAttacks = yield* partOf(attacksOf(result), 0.15, 0.3)
  const paired = pairAttacks(comparison, known.attacks, resultAttacks)
  const likeness = (pairs: AttackPairs) => {
    const sizes = unlikenessSeconds.map((seconds) => nearestPowerOfTwo(seconds * source.sampleRate, 64))
    return partOf(unlikenessOf(comparison, pairs, sizes, known), brief ? 0.3 : 0.65, brief ? 1 : 0.85)
  }
  if (brief) return { unlikenessDb: yield* likeness(paired), artefacts: attackHarm(comparison, paired, known.energies) }
  const { clicks, jumps } = yield* partOf(clicksOf(comparison, paired), 0.3, 0.35)
  // a tick is no stroke, though it starts as suddenly
  const ticks = Float64Array.from(clicks.places, (place) => place.outputFrame - comparison.from).sort()
  const isTick = (frame: number) => distanceTo(ticks, frame) < TICK_SECONDS * source.sampleRate
  const attackPairs = { ...paired, extra: paired.extra.filter((frame) => !isTick(frame)) }
  const between = yield* partOf(lookBetween(comparison, attackPairs, Float64Array.from(jumps), known), 0.35, 0.65)
  const unlikenessDb = yield* likeness(attackPairs)
  const pitch = yield* partOf(known.pitch(), 0.85, 0.88)
  const resultPitch = pitch && (yield* partOf(trackPitch(result), 0.88, 0.93))
  const pitches = pitch && resultPitch && ([pitch.track, resultPitch] as const)
  const roughness =
    pitch?.line &&
    pitches &&
    (yield* partOf(lineRoughnessOf(comparison, attackPairs, pitch.line, pitches[1]), 0.93, 0.97))
  const formants = pitches && (yield* partOf(formantShiftOf(comparison, ...pitches), 0.97, 1))
  const inner = innerOf(comparison)
  const seconds = (inner.end - inner.start) / source.sampleRate
  return {
    unlikenessDb,
    artefacts: told(seconds, [
      ...attackHarm(comparison, attackPairs, known.energies),
      between.flutter,
      detuneOf(comparison, between, attackPairs, pitches),
      roughened(between.phasiness, roughness),
      between.noiseColour,
      formants ?? unmeasured('formant-shift'),
      between.image,
      between.level,
      between.balance,
      clicks,
      between.aliasing,
    ]),
  }
}

/** Results shorter than this have too few moments to tell a kind of harm by, seconds. */
const NEEDED_SECONDS: Partial<Readonly<Record<ArtefactId, number>>> = {
  flutter: 0.5,
  detune: 0.4,
  phasiness: 0.4,
  'noise-colour': 0.4,
  'formant-shift': 0.5,
  aliasing: 0.3,
}

/** With where each kind stands out, and what could not be told for want of time. */
const told = (seconds: number, artefacts: readonly Artefact[]): Artefact[] =>
  artefacts.map((artefact) => {
    const { id, measured } = artefact
    if (!measured) return seconds < (NEEDED_SECONDS[id] ?? 0) ? tooShort(id) : artefact
    const local = localOf(artefact)
    return local ? { ...artefact, local } : artefact
  })

/** Phasiness, of partials and of a single line: what is heard of either. */
function roughened(phasiness: Artefact, line: LineRoughness | undefined): Artefact {
  if (!line) return phasiness
  const parts = { ...phasiness.parts, lineDb: line.db }
  return phasiness.measured && phasiness.value >= line.db
    ? { ...phasiness, parts }
    : { id: 'phasiness', measured: true, value: line.db, places: line.places, parts }
}
