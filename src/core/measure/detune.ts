import type { PitchTrack } from '../analysis/pitchTrack'
import { asOutput } from '../timeline/axes'
import { type Artefact, unmeasured } from './artefacts'
import { type AttackPairs, ringing } from './attackPairs'
import { type Comparison, originOf } from './comparison'
import { weightedMean } from './statistics'
import { isSteady, SURE } from './steadyPitch'
import { createSpans, TOLD_BY_TONES } from './step'
import type { createTones } from './tones'

const MOST_CENTS = 100

/** a glide may be a little early or late: what it passes within so many steps of the track is not off pitch */
const NEAR = 1

/** what moves by more than this meanwhile has no pitch that is told from moment to moment */
const FLEETING = 2 ** (1 / 12)

/** Cents from what a pitch passes around a step; endless where it has none there, undefined where it only rushes by. */
function offFrom(track: PitchTrack, step: number, wanted: number): number | undefined {
  let low = Number.POSITIVE_INFINITY
  let high = 0
  for (let n = step - NEAR; n <= step + NEAR; n++) {
    const hz = track.hz[n] ?? 0
    if (hz === 0) continue
    low = Math.min(low, hz)
    high = Math.max(high, hz)
  }
  if (high === 0) return Number.POSITIVE_INFINITY
  if (high > FLEETING * low) return undefined
  return 1200 * Math.max(0, Math.log2(wanted / high), Math.log2(low / wanted))
}

/** Steady partials off their place, and of a single line its pitch. */
export function detuneOf(
  comparison: Comparison,
  tones: Pick<ReturnType<ReturnType<typeof createTones>['finish']>, 'detune' | 'detuneSpans'>,
  { pairs }: AttackPairs,
  tracks: readonly [PitchTrack, PitchTrack] | undefined,
): Artefact {
  const { sampleRate } = comparison.source
  const partials = tones.detune
  const spans = tracks && partials.length < 24 ? createSpans(comparison, 0.2) : tones.detuneSpans
  const cents = partials.map((item) => item.cents)
  const weights = partials.map((item) => item.weight)
  const line: number[] = []
  if (tracks) {
    const [source, result] = tracks
    result.hz.forEach((hz, n) => {
      if (hz === 0 || (result.clarity[n] as number) < SURE) return
      const at = n * result.hopFrames
      const origin = originOf(comparison, at)
      const ratio = comparison.pitchRatioAt(asOutput(comparison.from + at))
      // where the map has it, or behind its attack as it rings by itself
      const places = [origin, ...ringing(pairs, at, sampleRate).slice(0, 1)].map((frame) =>
        Math.round(frame / source.hopFrames),
      )
      if (!isSteady(source, places[0] as number)) return
      const wanted = (source.hz[places[0] as number] as number) * ratio
      if (wanted < 45 || wanted > 1900) return
      const offs = places.map((own) => offFrom(source, own, hz / ratio))
      if (offs.includes(undefined)) return
      const off = Math.min(MOST_CENTS, ...(offs as number[]))
      line.push(off)
      spans.add(at, origin, off)
    })
  }
  if (cents.length < 24 && line.length < 20) return unmeasured('detune')
  const ofPartials = weightedMean(cents, weights)
  const ofLine = line.length === 0 ? 0 : line.reduce((sum, value) => sum + value, 0) / line.length
  return {
    id: 'detune',
    measured: true,
    value: cents.length >= 24 ? ofPartials : ofLine,
    places: spans.places(undefined, tracks && partials.length < 24 ? { count: 6 } : TOLD_BY_TONES),
    parts: { partialsCents: ofPartials, lineCents: ofLine },
  }
}
