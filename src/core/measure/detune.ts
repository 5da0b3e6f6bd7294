import type { PitchTrack } from '../analysis/pitchTrack'
import { asOutput } from '../timeline/axes'
import { type Artefact, unmeasured } from './artefacts'
import { originOf } from './attackPairs'
import type { Comparison } from './comparison'
import { weightedMean } from './statistics'
import { createSpans } from './step'
import type { createTones } from './tones'

const SURE = 0.85
const MOST_CENTS = 100

/** Steady partials off their place, and of a single line its pitch. */
export function detuneOf(
  comparison: Comparison,
  tones: Pick<ReturnType<ReturnType<typeof createTones>['finish']>, 'detune' | 'detuneSpans'>,
  tracks: readonly [PitchTrack, PitchTrack] | undefined,
): Artefact {
  const partials = tones.detune
  const spans = tracks && partials.length < 24 ? createSpans(comparison, 0.2) : tones.detuneSpans
  const cents = partials.map((item) => item.cents)
  const weights = partials.map((item) => item.weight)
  const line: number[] = []
  if (tracks) {
    const [source, result] = tracks
    result.hz.forEach((hz, n) => {
      const at = n * result.hopFrames
      const own = Math.round(originOf(comparison, at) / source.hopFrames)
      let steady = hz > 0 && (result.clarity[n] as number) > SURE
      for (let d = -5; d <= 5 && steady; d++)
        steady = (source.hz[own + d] ?? 0) > 0 && (source.clarity[own + d] ?? 0) > SURE
      if (!steady) return
      const wanted = (source.hz[own] as number) * comparison.pitchRatioAt(asOutput(comparison.from + at))
      if (wanted < 45 || wanted > 1900) return
      const off = Math.min(MOST_CENTS, Math.abs(1200 * Math.log2(hz / wanted)))
      line.push(off)
      spans.add(at, originOf(comparison, at), off)
    })
  }
  if (cents.length < 24 && line.length < 20) return unmeasured('detune')
  const ofPartials = weightedMean(cents, weights)
  const ofLine = line.length === 0 ? 0 : line.reduce((sum, value) => sum + value, 0) / line.length
  return {
    id: 'detune',
    measured: true,
    value: cents.length >= 24 ? ofPartials : ofLine,
    places: spans.places(),
    parts: { partialsCents: ofPartials, lineCents: ofLine },
  }
}
