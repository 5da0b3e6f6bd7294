import { type Giving, pacedSpeed, type SpeedPoint } from '../core'
import { partFacts, partStart, timedFacts } from './recipe'
import type { Source } from './schema'
import type { SourcePacing } from './timingSchema'

/** Speech pacing of a source: how far, and the speed curve that this comes to at the stretch that it has. */

/** What a sound gives, found from `from` seconds of its file on, as a source keeps it. */
export const pacingOf = (percent: number, { stepSeconds, percent: gives }: Giving, from: number): SourcePacing => ({
  percent,
  from,
  stepSeconds,
  gives: [...gives],
})

/** What lies within the part that is worked with. */
function givingWithin(source: Source, { from, stepSeconds, gives }: SourcePacing): Giving {
  const skipped = Math.round((partStart(source) - from) / stepSeconds)
  // of what was not looked at nothing is known
  const before = Array<number>(Math.max(0, -skipped)).fill(50)
  return { stepSeconds, percent: [...before, ...gives.slice(Math.max(0, skipped))] }
}

/** The speed curve that a source's pacing comes to, seconds of its file; none where nothing is to be paced. */
export function pacedPoints(source: Source): SpeedPoint[] {
  const { pacing } = source.timing ?? {}
  const facts = partFacts(source)
  if (!pacing || !facts) return []
  const seconds = facts.frames / facts.sampleRate
  const points = pacedSpeed(givingWithin(source, pacing), seconds, source.target.stretch, pacing.percent)
  const start = partStart(source)
  return start === 0 ? points : points.map((point) => ({ ...point, seconds: point.seconds + start }))
}

/** by how much a stretch has to change before its pacing follows, as a ratio */
const SAME_STRETCH = 1.002

/** A source whose speed curve follows its pacing, and whose result is as long as it was meant to be. */
export function settledPacing(now: Source, before: Source | undefined): Source {
  const { timing } = now
  const [pacing, was] = [timing?.pacing, before?.timing?.pacing]
  if (!pacing && !was) return now
  // what was drawn over by hand is the hand's
  if (!pacing && timing?.speedCurve) return now
  const moved = before ? now.target.stretch / before.target.stretch : Number.POSITIVE_INFINITY
  const isSame = pacing === was && now.range === before?.range && moved < SAME_STRETCH && 1 / moved < SAME_STRETCH
  if (isSame) return now
  const paced = withPoints(now, pacedPoints(now))
  const [frames, made] = [before && timedFacts({ ...now, timing: before.timing })?.frames, timedFacts(paced)?.frames]
  if (!frames || !made || frames === made) return paced
  // where speeds come to the ends of their range a curve has not the whole length: that is made up for
  const stretch = (paced.target.stretch * frames) / made
  return { ...paced, target: { ...paced.target, stretch } }
}

function withPoints(source: Source, points: readonly SpeedPoint[]): Source {
  if (!source.timing) return source
  const { speedCurve: _, ...timing } = source.timing
  return { ...source, timing: { ...timing, ...(points.length > 0 && { speedCurve: { points: [...points] } }) } }
}
