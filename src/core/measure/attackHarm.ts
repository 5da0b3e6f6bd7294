import { asOutput } from '../timeline/axes'
import type { Artefact, Place } from './artefacts'
import { unmeasured } from './artefacts'
import type { AttackPair, AttackPairs } from './attackPairs'
import { type Comparison, innerOf, originOf } from './comparison'
import { type Energies, type EnergyOf, energiesOf } from './energies'
import { mean, meanSquareRoot, median, percentile } from './statistics'

const FEW = 8
/** from this stretch on soft starts are drawn out until they are none */
const FAR_STRETCH = 1.6
const MIN_GAP_SECONDS = 0.045
const REACH_SECONDS = 0.03
/** what a sound brings in its first 4 ms is its edge */
const EDGE_SECONDS = 0.004
const LEAD_SECONDS = 0.0008
/** share of the energy around an attack that its edge has to hold for it to be one; without any edge it is a tenth */
const EDGY = 0.2
/** what is 35 dB under an attack just before it is masked by it */
const BESIDE = 3e-4
/** so much duller than it was, an attack has spread: then what lies before its place counts, however early it is found */
const SPREAD_DB = 1.5
/** a start without an edge can be told no nearer than this, and drawn out no nearer than so much more */
const SOFT_MS = 5
/** from here on a start was found beside its place, unless what is there rises and holds this share of its power */
const BESIDE_PLACE_SECONDS = 0.005
const KEPT_EDGE_POWER = 0.25
/** from one edge's length to the next, in power; noise by itself never does. Half as many dB as in the source do */
const RISES = 4
/** how much sharpness transposing an attack well may seem to take */
const TRANSPOSED_DB = 3

/**
 * Attacks that are gone, made up, late or early, or dull.
 * @param source  energies of the source.
 */
export function attackHarm(comparison: Comparison, all: AttackPairs, source: Energies): Artefact[] {
  const { sampleRate } = comparison.source
  const inner = innerOf(comparison)
  const isInner = (frame: number) => frame >= inner.start && frame < inner.end
  const result = energiesOf(comparison.result)
  const pairs = all.pairs
    .filter(({ expected }) => isInner(expected))
    .map((pair): AttackPair => (isInPlace(pair, source, result, sampleRate) ? { ...pair, found: pair.expected } : pair))
  const extra = all.extra.filter(isInner)
  const knownCount = all.known.filter(isInner).length
  if (pairs.length === 0 && extra.length === 0) {
    return [unmeasured('lost-attacks'), unmeasured('extra-attacks'), unmeasured('smear'), unmeasured('slip')]
  }
  // a sound with hardly an attack is not ruined by one more: it counts against a handful
  const perHundred = (count: number) => (100 * count) / Math.max(FEW, pairs.length)
  // a start without an edge that is drawn out far is no start any more: it has swollen, as it was told to
  const lost = pairs.filter(
    (pair) =>
      pair.found === undefined &&
      (comparison.map.speedAt(asOutput(comparison.from + pair.expected)) > 1 / FAR_STRETCH ||
        edgeShare(source.edge, pair.sourceFrame, REACH_SECONDS * sampleRate, sampleRate) >= EDGY),
  )
  const kept = pairs.flatMap((pair) => (pair.found === undefined ? [] : [{ ...pair, found: pair.found }]))
  const at = (pair: { sourceFrame: number; expected: number }, value: number): Place => ({
    sourceFrame: pair.sourceFrame,
    spanFrames: 0,
    outputFrame: Math.round(comparison.from + pair.expected),
    value,
  })
  const smears = smearOf(comparison, { source, result }, kept)
  const edgy = new Set(smears.map(({ pair }) => pair.sourceFrame))
  const slips = kept.map((pair) => {
    const ms = (1000 * Math.abs(pair.found - pair.expected)) / sampleRate
    if (edgy.has(pair.sourceFrame)) return at(pair, ms)
    const drawnOut = Math.max(1, 1 / comparison.map.speedAt(asOutput(comparison.from + pair.expected)))
    return at(pair, Math.max(0, ms - SOFT_MS * drawnOut))
  })
  const slipOf = slips.map((place) => place.value)
  return [
    {
      id: 'lost-attacks',
      measured: pairs.length > 0,
      value: perHundred(lost.length),
      places: lost.map((pair) => at(pair, 1)),
      parts: { lostCount: lost.length, attackCount: pairs.length, knownCount },
    },
    {
      id: 'extra-attacks',
      measured: true,
      value: perHundred(extra.length),
      places: extra
        .map((frame) => ({
          sourceFrame: Math.round(originOf(comparison, frame)),
          spanFrames: 0,
          outputFrame: Math.round(comparison.from + frame),
          value: 1,
        }))
        .sort((a, b) => a.sourceFrame - b.sourceFrame),
      parts: { extraCount: extra.length, attackCount: pairs.length },
    },
    smears.length === 0
      ? unmeasured('smear')
      : {
          id: 'smear',
          measured: true,
          value: mean(smears.map(({ dull, before }) => Math.max(0, dull, before))),
          places: smears.map(({ pair, dull, before }) => at(pair, Math.max(0, dull, before))),
          parts: {
            sharpnessLostDb: mean(smears.map(({ dull }) => dull)),
            beforeDb: percentile(
              smears.map(({ before }) => before),
              0.9,
            ),
          },
        },
    kept.length === 0
      ? unmeasured('slip')
      : {
          id: 'slip',
          measured: true,
          value: meanSquareRoot(slipOf),
          places: slips,
          parts: { medianMs: median(slipOf), worstMs: percentile(slipOf, 1) },
        },
  ]
}

/** Share of the energy around a frame that lies in its edge. A found start may be a hair off: the best counts. */
function edgeShare(energy: EnergyOf, frame: number, reach: number, sampleRate: number): number {
  const lead = LEAD_SECONDS * sampleRate
  const edge = EDGE_SECONDS * sampleRate
  let best = 0
  for (let off = -4; off <= 8; off++) {
    const start = frame + (off * sampleRate) / 2000 - lead
    best = Math.max(best, energy(start, start + lead + edge))
  }
  return best / (energy(frame - reach, frame + reach) + 1e-14)
}

/** Whether an attack that was not found, or found beside its place, rises at its place all the same. */
function isInPlace(
  { sourceFrame, expected, found }: AttackPair,
  source: Energies,
  result: Energies,
  sampleRate: number,
): boolean {
  if (found !== undefined && Math.abs(found - expected) < BESIDE_PLACE_SECONDS * sampleRate) return false
  const length = EDGE_SECONDS * sampleRate
  const isLoud =
    result.edge(expected, expected + length) > KEPT_EDGE_POWER * source.edge(sourceFrame, sourceFrame + length)
  const own = riseAt(source.edge, sourceFrame, sampleRate)
  return isLoud && own >= RISES && riseAt(result.edge, expected, sampleRate) >= Math.max(RISES, Math.sqrt(own))
}

/** How many times as much energy there is right behind a frame as right before it. */
function riseAt(energy: EnergyOf, frame: number, sampleRate: number): number {
  const edge = EDGE_SECONDS * sampleRate
  let best = 0
  for (let off = -4; off <= 4; off++) {
    const start = frame + (off * sampleRate) / 2000
    best = Math.max(best, energy(start, start + edge) / (energy(start - edge, start) + 1e-14))
  }
  return best
}

interface Smear<Pair> {
  readonly pair: Pair
  /** dB of concentration lost */
  readonly dull: number
  /** dB more energy before it than source and map account for */
  readonly before: number
}

/** Each attack where it is, against itself in the source; those whose neighbours are too close say nothing. */
function smearOf<Pair extends { sourceFrame: number; expected: number; found: number; height: number }>(
  comparison: Comparison,
  energies: { readonly source: Energies; readonly result: Energies },
  kept: readonly Pair[],
): Smear<Pair>[] {
  const { sampleRate } = comparison.source
  const { edge: source, plain: plainSource } = energies.source
  const { edge: result, plain: plainResult } = energies.result
  const smears: Smear<Pair>[] = []
  kept.forEach((pair, i) => {
    const last = kept[i - 1]
    const next = kept[i + 1]
    const gap = Math.min(
      pair.found - (last?.found ?? Number.NEGATIVE_INFINITY),
      pair.sourceFrame - (last?.sourceFrame ?? Number.NEGATIVE_INFINITY),
      (next?.found ?? Number.POSITIVE_INFINITY) - pair.found,
      (next?.sourceFrame ?? Number.POSITIVE_INFINITY) - pair.sourceFrame,
    )
    if (gap < MIN_GAP_SECONDS * sampleRate) return
    const reach = Math.min(REACH_SECONDS * sampleRate, gap / 2)
    const lead = LEAD_SECONDS * sampleRate
    const sharpnessOf = (energy: EnergyOf, frame: number) => edgeShare(energy, frame, reach, sampleRate)
    const own = sharpnessOf(source, pair.sourceFrame)
    if (own < EDGY) return
    const lossOf = (before: number, now: number) => 10 * Math.log10((before + 1e-6) / (now + 1e-6))
    const losses = [
      lossOf(own, sharpnessOf(result, pair.found)),
      lossOf(sharpnessOf(plainSource, pair.sourceFrame), sharpnessOf(plainResult, pair.found)),
    ] as const
    // transposed, what is low weighs otherwise against what is high: the kinder of two weightings counts,
    // and not to the last decibel
    const isTransposed = Math.abs(comparison.pitchRatioAt(asOutput(comparison.from + pair.found)) - 1) > 0.01
    const dull = isTransposed ? Math.min(...losses) - TRANSPOSED_DB : (losses[0] + losses[1]) / 2
    // what rings on from the attack before: as in the source at this moment, or as it would ring by itself until here
    const level = source(pair.sourceFrame, pair.sourceFrame + REACH_SECONDS * sampleRate) * BESIDE + 1e-14
    const tailOf = (energy: EnergyOf, frame: number) => energy(frame - reach, frame - lead)
    const natural = last ? last.sourceFrame + (pair.found - last.found) : pair.sourceFrame
    const tail = Math.max(tailOf(source, pair.sourceFrame), natural < pair.sourceFrame ? tailOf(source, natural) : 0)
    const start = dull > SPREAD_DB ? pair.expected : Math.min(pair.found, pair.expected + lead)
    const before = 10 * Math.log10((tailOf(result, start) + level) / (tail + level))
    smears.push({ pair, dull, before })
  })
  return smears
}
