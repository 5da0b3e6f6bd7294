import type { PitchTrack } from '../analysis/pitchTrack'
import { type AudioBlock, frameCount } from '../audio/block'
import { asOutput } from '../timeline/axes'
import { type AttackPairs, distanceTo, ringing } from './attackPairs'
import { type Comparison, originOf } from './comparison'
import { mean } from './statistics'
import { isSteady, STEADY_COLUMNS, SURE } from './steadyPitch'
import { createSpans } from './step'
import { createBeside } from './straightened'

/** by how much the power of a line may fall or rise over the columns in which its pitch is steady */
const MOST_FALL = 5
/** what is this periodic is as clear as can be told */
const CLEAREST = 1e-4
/** a result this far under its source has died away by itself, power */
const GONE = 0.06
/** one column of the track in so many is looked at: their windows reach over several */
const EVERY = 2
/** columns that anything is said from on, in number and as a share of the result, and that a place needs */
const LEAST_COLUMNS = 10
const LEAST_SHARE = 0.15
const LEAST_PLACE = 3
/** half the window of the pitch track, and a little */
const APART_SECONDS = 0.06
/** what is 23 dB under the loudest moment is not the line, but something beside it, power */
const QUIET = 5e-3
/** what is clearer than its source by more than this counts as so much: one place must not speak for all */
const MOST_LESS_DB = 6
/** what a pitch track can follow, Hz */
const LOWEST_HZ = 48
const HIGHEST_HZ = 1900
/** a sound is a line when it is one clear tone in this share of what is heard of it */
const LINE_SHARE = 0.4

/**
 * A pitch track smooths what bends fast, and what has a long period. A line that bends so many times as fast, or lies
 * so many times as low, may leave these powers of it more beside its harmonics.
 */
const BENT = 4
const LOWER = 1.5

/**
 * How much less like one clear tone a single line has become, dB: by what does not come again one period later, and by
 * what lies beside its harmonics, both against the same in the source. A glide bends less within a period when it is
 * drawn out, and more when it is pressed together: neither counts.
 * @param pairs  what begins, and may ring on by itself.
 * @returns undefined where the source is no line.
 */
export function lineRoughnessOf(
  comparison: Comparison,
  { pairs }: Pick<AttackPairs, 'pairs'>,
  source: PitchTrack,
  result: PitchTrack,
) {
  const spans = createSpans(comparison, 0.2)
  const inSource = levelReader(comparison.source)
  const inResult = levelReader(comparison.result)
  const { share, least } = shareClear(source, inSource)
  if (share < LINE_SHARE) return undefined
  const besideSource = createBeside(comparison.source, source)
  const besideResult = createBeside(comparison.result, result)
  const apart = APART_SECONDS * comparison.source.sampleRate
  const sourceAttacks = Float64Array.from(pairs, ({ sourceFrame }) => sourceFrame)
  const resultAttacks = Float64Array.from(pairs.flatMap((pair) => [pair.expected, pair.found ?? pair.expected])).sort()
  let got = 0
  let want = 0
  let columns = 0
  const more: number[] = []
  for (let n = 0; n < result.hz.length; n += EVERY) {
    const at = n * result.hopFrames
    if (at >= frameCount(comparison.result)) break
    const origin = originOf(comparison, at)
    const own = Math.round(origin / source.hopFrames)
    if (!isSteady(source, own) || !holds(inSource, origin, source.hopFrames)) continue
    const output = asOutput(comparison.from + at)
    const ratio = comparison.pitchRatioAt(output)
    const meantHz = (source.hz[own] as number) * ratio
    if (meantHz < LOWEST_HZ || meantHz > HIGHEST_HZ) continue
    if (inSource(origin) < least || inResult(at) < GONE * inSource(origin)) continue
    // an attack in the window of either is no line
    if (distanceTo(sourceAttacks, origin) < apart || distanceTo(resultAttacks, at) < apart) continue
    // where its attack would have it by now if it rings by itself; what has rung out says nothing of a line
    const natural = ringing(pairs, at, comparison.source.sampleRate)[0] ?? origin
    const ringsAt = Math.round(natural / source.hopFrames)
    if (!isSteady(source, ringsAt)) continue
    const speed = Math.max(1, comparison.map.speedAt(output))
    // as rough as the source is at either; what bends `speed` times as fast is `speed`² times as unlike itself
    const before = Math.max((1 - clarityOf(source, own)) * speed ** 2, 1 - clarityOf(source, ringsAt)) + CLEAREST
    const now = 1 - clarityOf(result, n) + CLEAREST
    got += now
    want += before
    columns++
    const lower = Math.max(1, 1 / ratio)
    const ownBeside = besideSource(origin)
    const foundBeside = ownBeside === undefined ? undefined : besideResult(at)
    let here = 10 * Math.log10(now / before)
    if (ownBeside !== undefined && foundBeside !== undefined) {
      const meant = Math.max(ownBeside * speed ** BENT * lower ** LOWER, besideSource(natural) ?? 0)
      const beside = 10 * Math.log10(foundBeside / meant)
      more.push(Math.max(-MOST_LESS_DB, beside))
      here = Math.max(here, beside)
    }
    spans.add(at, origin, Math.max(0, here))
  }
  if (columns < Math.max(LEAST_COLUMNS, (LEAST_SHARE * result.hz.length) / EVERY)) return undefined
  const besideDb = mean(more)
  return {
    db: Math.max(0, besideDb, 10 * Math.log10(got / want)),
    besideDb,
    places: spans.places(undefined, { count: LEAST_PLACE }),
  }
}

const clarityOf = (track: PitchTrack, column: number) =>
  (track.hz[column] ?? 0) > 0 ? (track.clarity[column] as number) : 0

/**
 * In what share of the columns that are heard a sound is one clear tone.
 * @returns that, and how loud a column has to be to be heard beside the rest.
 */
function shareClear(track: PitchTrack, levelAt: (frame: number) => number): { share: number; least: number } {
  const levels = Array.from(track.hz, (_, n) => levelAt(n * track.hopFrames))
  const least = QUIET * levels.reduce((most, level) => Math.max(most, level), 0)
  let heard = 0
  let clear = 0
  levels.forEach((level, n) => {
    if (level <= least) return
    heard++
    const frame = n * track.hopFrames
    if ((track.hz[n] as number) > 0 && (track.clarity[n] as number) >= SURE && holds(levelAt, frame, track.hopFrames))
      clear++
  })
  return { share: clear / Math.max(1, heard), least }
}

/** Whether a sound holds its level there: what was struck and dies away is no line, however clear its pitch. */
function holds(levelAt: (frame: number) => number, frame: number, hopFrames: number): boolean {
  const before = levelAt(frame - STEADY_COLUMNS * hopFrames)
  const after = levelAt(frame + STEADY_COLUMNS * hopFrames)
  return Math.max(before, after) < MOST_FALL * Math.min(before, after)
}

/** Power around a frame, over 40 ms of all channels. */
function levelReader({ channels, sampleRate }: AudioBlock): (frame: number) => number {
  const half = Math.round(0.02 * sampleRate)
  return (frame) => {
    let sum = 0
    for (const channel of channels)
      for (let i = Math.round(frame) - half; i < frame + half; i += 4) sum += (channel[i] ?? 0) ** 2
    return sum
  }
}
