import { frameCount } from '../audio/block'
import { lowerBound } from '../dsp/search'
import { asOutput } from '../timeline/axes'
import { createAliasing } from './aliasing'
import { type AttackPairs, ringing } from './attackPairs'
import { type Comparison, innerOf, originOf } from './comparison'
import { createImage } from './image'
import { createLevels } from './levels'
import { createLoudnessMeter } from './loudness'
import { createNoiseColour } from './noiseColour'
import { columnFrames, type SourceReading } from './sourceReading'
import { createSpectra, createStereoSpectra } from './spectra'
import type { Step } from './step'
import { createTones } from './tones'
import { truePeakOf } from './truePeak'

/** results longer than this many steps are looked at in wider steps */
const MOST_STEPS = 6000
const ATTACK_BODY_SECONDS = 0.018
/** what lies this far under the loudest column of the source, in both, is not heard beside it */
const QUIET = 10 ** -5

/**
 * Go through a result in steps and look at what lies between its attacks, and at the attacks' own level and place.
 * @param reading  of its source.
 */
export function* lookBetween(
  comparison: Comparison,
  { pairs, extra }: AttackPairs,
  jumps: Float64Array,
  reading: SourceReading,
) {
  const { source, result, map, from } = comparison
  const { sampleRate } = source
  const { steadyAt } = reading
  const size = columnFrames(sampleRate)
  const binHz = sampleRate / size
  const totalFrames = frameCount(result)
  const inner = innerOf(comparison)
  const hop = Math.max(size / 4, Math.ceil(totalFrames / MOST_STEPS))
  const readGot = createStereoSpectra(result, size)
  const readWant = createStereoSpectra(source, size)
  const readNatural = createSpectra(source, size)
  const readGotShort = createStereoSpectra(result, size / 2)
  const readWantShort = createStereoSpectra(source, size / 2)
  const tones = createTones(comparison)
  const noise = createNoiseColour(comparison)
  const loudest = reading.loudest(size)
  const aliasing = createAliasing(comparison, size, loudest, reading.reach)
  const image = createImage(comparison)
  const levels = createLevels(comparison, loudest)

  const sourceAttacks = Float64Array.from(pairs, (pair) => pair.sourceFrame)
  const resultAttacks = Float64Array.from(
    pairs.flatMap((pair) => [pair.expected, pair.found ?? pair.expected]).concat(extra),
  ).sort()
  const ratioAt = (resultFrame: number) => comparison.pitchRatioAt(asOutput(from + resultFrame))
  /** bands of the level lie where the envelope was to be: with kept formants not where the pitch is */
  const envelopeAt = (resultFrame: number) => comparison.formantRatioAt(asOutput(from + resultFrame))
  const rests = (attacks: Float64Array, frame: number, within: number) => {
    const next = lowerBound(attacks, frame - within)
    return next >= attacks.length || (attacks[next] as number) > frame + within
  }
  const quiet = loudest * QUIET

  for (let resultFrame = inner.start; resultFrame < inner.end; resultFrame += hop) {
    const sourceFrame = originOf(comparison, resultFrame)
    const restsWithin = (frames: number) =>
      rests(sourceAttacks, sourceFrame, frames) && rests(resultAttacks, resultFrame, frames)
    if (!restsWithin(0.45 * size)) continue
    const ratio = ratioAt(resultFrame)
    const got = readGot(resultFrame)
    const want = readWant(sourceFrame)
    const total = size / 2 + 1
    if ((want.below[total] as number) < quiet && (got.below[total] as number) < quiet) continue
    const natural = naturalFrame(pairs, sourceAttacks, resultFrame, sourceFrame, sampleRate, 0.45 * size)
    const step: Step = {
      resultFrame,
      sourceFrame,
      ratio,
      got,
      want,
      natural: typeof natural === 'number' ? readNatural(natural) : natural,
      short: () => ({ got: readGotShort(resultFrame), want: readWantShort(sourceFrame) }),
      tones: steadyAt(sourceFrame),
      binHz,
      restsWithin,
    }
    tones.add(step)
    noise.add(step)
    // a jump is everywhere in the spectrum
    if (rests(jumps, resultFrame, size / 2)) aliasing.add(step)
    image.add(resultFrame, sourceFrame, ratio, got, want, binHz)
    levels.add(resultFrame, sourceFrame, envelopeAt(resultFrame), got, want, step.natural, binHz)
    if (((resultFrame - inner.start) / hop) % 8 < 1) yield { doneFrames: resultFrame, totalFrames }
  }
  // attacks have their own level and place: half a window behind their start, wherever that came to lie
  const body = ATTACK_BODY_SECONDS * sampleRate
  for (const pair of pairs) {
    const at = (pair.found ?? pair.expected) + body
    const got = readGotShort(at)
    const want = readWantShort(pair.sourceFrame + body)
    levels.add(at, pair.sourceFrame, envelopeAt(at), got, want, undefined, 2 * binHz)
    image.add(at, pair.sourceFrame, ratioAt(at), got, want, 2 * binHz)
  }

  const loudness = (audio: typeof source) => {
    const meter = createLoudnessMeter(sampleRate, audio.channels.length)
    meter.add(audio.channels, frameCount(audio))
    return meter.finish()
  }
  // of a part of a result only the source of that part has a say
  const firstFrame = Math.floor(originOf(comparison, inner.start))
  const lastFrame = Math.ceil(map.sourceAt(asOutput(from + inner.end)))
  const heard = source.channels.map((channel) => channel.subarray(firstFrame, Math.max(firstFrame + 1, lastFrame)))
  const own = result.channels.map((channel) => channel.subarray(inner.start, inner.end))
  const end = { doneFrames: totalFrames, totalFrames }
  const loud = loudness({ sampleRate, channels: own })
  yield end
  const change = loud - loudness({ sampleRate, channels: heard })
  yield end
  const ownPeak = truePeakOf(own)
  yield end
  const peak = 20 * Math.log10((ownPeak + 1e-9) / (truePeakOf(heard) + 1e-9))
  return {
    ...tones.finish(),
    noiseColour: noise.finish(),
    aliasing: aliasing.finish(),
    image: image.finish(),
    ...levels.finish(Number.isFinite(change) ? change : 0, peak),
  }
}

/**
 * The source frame at which a sound is that rings on by itself since the attack before. Silence where the source itself has
 * something else by then; undefined where it makes no difference, or nothing began.
 * @param reach  frames to either side that are looked at.
 */
function naturalFrame(
  pairs: AttackPairs['pairs'],
  sourceAttacks: Float64Array,
  resultFrame: number,
  sourceFrame: number,
  sampleRate: number,
  reach: number,
): number | 'silence' | undefined {
  const natural = ringing(pairs, resultFrame, sampleRate)[0]
  if (natural === undefined || Math.abs(natural - sourceFrame) < 0.002 * sampleRate) return undefined
  const next = sourceAttacks[lowerBound(sourceAttacks, sourceFrame)] ?? Number.POSITIVE_INFINITY
  return natural > next - Math.max(0.03 * sampleRate, reach) ? 'silence' : natural
}
