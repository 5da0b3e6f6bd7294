import type { PitchTrack } from '../analysis/pitchTrack'
import { type AudioBlock, frameCount } from '../audio/block'
import type { Task } from '../task'
import { asOutput } from '../timeline/axes'
import type { Place } from './artefacts'
import { type AttackPairs, distanceTo, ringing } from './attackPairs'
import { type Comparison, originOf } from './comparison'
import { mean } from './statistics'
import { isSteady, STEADY_COLUMNS, SURE } from './steadyPitch'
import { createSpans } from './step'
import { areApart, type Beside, createBeside, straightTrack } from './straightened'

/** by how much the power of a line may fall or rise over the columns in which its pitch is steady */
const MOST_FALL = 5
/** what is this periodic is as clear as can be told */
const CLEAREST = 1e-4
/** a result this far under its source has died away by itself, power */
const GONE = 0.06
/** one column of the track in so many is looked at: their windows reach over several */
const EVERY = 2
/** columns between two breaths */
const BREATH = 64
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
 * so many times as low, may leave these powers of it more beside its harmonics; of the first as much as it bends, in
 * octaves over the columns in which its pitch is steady.
 */
const BENT = 4
const LOWER = 1.5
const BENDS_OCTAVES = 0.08

/** What is known of a line before any result of it is looked at. */
export interface LineReading {
  readonly pitch: PitchTrack
  /** what lies beside its harmonics; undefined where it is too low for them to be told apart */
  readonly beside: ReadBeside | undefined
  /** power that a moment has to have to be heard beside the rest */
  readonly least: number
}

interface ReadBeside {
  /** the pitch once it was straightened */
  readonly track: PitchTrack
  readonly read: Beside
}

/** Read a line; undefined where a sound is none. */
export function* readLine(source: AudioBlock, pitch: PitchTrack): Task<LineReading | undefined> {
  const beside = yield* besideOf(source, pitch)
  const { share, least } = shareClear(beside?.track ?? pitch, levelReader(source))
  return share < LINE_SHARE ? undefined : { pitch, beside, least }
}

export interface LineRoughness {
  readonly db: number
  readonly places: readonly Place[]
}

/**
 * How much less like one clear tone a single line has become, dB.
 * What lies beside its harmonics says it. Where it is too low for them to be told apart, what does not come again one
 * period later does. Both are held against the same in the source.
 * A glide bends less within a period when it is drawn out, and more when it is pressed together: neither counts.
 * @param pairs  what begins, and may ring on by itself.
 * @returns undefined where too little of the result is one.
 */
export function* lineRoughnessOf(
  comparison: Comparison,
  { pairs }: Pick<AttackPairs, 'pairs'>,
  { pitch, beside, least }: LineReading,
  resultTrack: PitchTrack,
): Task<LineRoughness | undefined> {
  const { source, result, map } = comparison
  const inSource = levelReader(source)
  const inResult = levelReader(result)
  const inResultToo = beside && (yield* besideOf(result, resultTrack))
  const besides = inResultToo && { source: beside, result: inResultToo }
  const own = besides?.source.track ?? pitch
  const found = besides?.result.track ?? resultTrack
  const totalFrames = frameCount(result)
  const spans = createSpans(comparison, 0.2)
  const apart = APART_SECONDS * source.sampleRate
  const sourceAttacks = Float64Array.from(pairs, ({ sourceFrame }) => sourceFrame)
  const resultAttacks = Float64Array.from(pairs.flatMap((pair) => [pair.expected, pair.found ?? pair.expected])).sort()
  const more: number[] = []
  let got = 0
  let want = 0
  let columns = 0
  for (let n = 0; n < found.hz.length; n += EVERY) {
    const at = n * found.hopFrames
    if (at >= totalFrames) break
    if (n % BREATH === 0) yield { doneFrames: at, totalFrames }
    const origin = originOf(comparison, at)
    const there = Math.round(origin / own.hopFrames)
    if (!isSteady(own, there) || !holds(inSource, origin, own.hopFrames)) continue
    const output = asOutput(comparison.from + at)
    const ratio = comparison.pitchRatioAt(output)
    const meantHz = (own.hz[there] as number) * ratio
    if (meantHz < LOWEST_HZ || meantHz > HIGHEST_HZ) continue
    if (inSource(origin) < least || inResult(at) < GONE * inSource(origin)) continue
    // an attack in the window of either is no line
    if (distanceTo(sourceAttacks, origin) < apart || distanceTo(resultAttacks, at) < apart) continue
    // where its attack would have it by now if it rings by itself; what has rung out says nothing of a line
    const natural = ringing(pairs, at, source.sampleRate)[0] ?? origin
    const ringsAt = Math.round(natural / own.hopFrames)
    if (!isSteady(own, ringsAt)) continue
    const speed = Math.max(1, map.speedAt(output))
    if (besides) {
      const ownBeside = besides.source.read(origin)
      const foundBeside = besides.result.read(at)
      if (ownBeside === undefined || foundBeside === undefined) continue
      columns++
      const bent = BENT * Math.min(1, bendOf(own, there) / BENDS_OCTAVES)
      const meant = ownBeside * speed ** bent * Math.max(1, 1 / ratio) ** LOWER
      const db = 10 * Math.log10(foundBeside / Math.max(meant, besides.source.read(natural) ?? 0))
      more.push(Math.max(-MOST_LESS_DB, db))
      spans.add(at, origin, Math.max(0, db))
      continue
    }
    columns++
    // as rough as the source is at either; what bends `speed` times as fast is `speed`² times as unlike itself
    const before = Math.max((1 - clarityOf(own, there)) * speed ** 2, 1 - clarityOf(own, ringsAt)) + CLEAREST
    const now = 1 - clarityOf(found, n) + CLEAREST
    got += now
    want += before
    spans.add(at, origin, Math.max(0, 10 * Math.log10(now / before)))
  }
  if (columns < Math.max(LEAST_COLUMNS, (LEAST_SHARE * found.hz.length) / EVERY)) return undefined
  const places = spans.places(undefined, { count: LEAST_PLACE })
  return { db: Math.max(0, besides ? mean(more) : 10 * Math.log10(got / want)), places }
}

function* besideOf(audio: AudioBlock, raw: PitchTrack): Task<ReadBeside | undefined> {
  if (!areApart(raw, audio.sampleRate)) return undefined
  const track = yield* straightTrack(audio, raw)
  yield { doneFrames: frameCount(audio), totalFrames: frameCount(audio) }
  const read = createBeside(audio, track)
  return read && { track, read }
}

/** How far a line bends around a column, octaves over a tenth of a second. */
function bendOf({ hz }: PitchTrack, column: number): number {
  const around = Array.from(hz.subarray(column - STEADY_COLUMNS, column + STEADY_COLUMNS + 1))
  return Math.log2(Math.max(...around) / Math.min(...around))
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
