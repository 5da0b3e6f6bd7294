import { type AudioBlock, frameCount, silence } from '../audio/block'
import { createSincReader } from '../dsp/sinc'
import { asOutput } from '../timeline/axes'
import type { Comparison } from './comparison'

/** pitches nearer than this are compared as they are, octaves */
export const NEAR_OCTAVES = 0.02
const WIDTH = 48
const BLOCK = 1 << 14
/** moments at which the pitch is looked at, to tell whether it stays */
const LOOKS = 16

/**
 * A result of another pitch, read at the speed that brings it back. A window of it tells steady partials apart just as
 * finely as one of the source. Frame n of the result is frame `n × ratio` of it.
 * @returns undefined where the pitch moves, or is hardly another, or the formants do not go with it.
 */
export function atSourcePitch(
  comparison: Comparison,
): { readonly audio: AudioBlock; readonly ratio: number } | undefined {
  const ratio = ratioThroughout(comparison)
  if (ratio === undefined) return undefined
  const { result } = comparison
  const frames = Math.max(1, Math.round(frameCount(result) * ratio))
  const reader = createSincReader(WIDTH, 1 / ratio)
  const channels = silence(result.channels.length, frames)
  const positions = new Float64Array(BLOCK)
  for (let at = 0; at < frames; at += BLOCK) {
    const count = Math.min(BLOCK, frames - at)
    for (let n = 0; n < count; n++) positions[n] = (at + n) / ratio
    reader.readManyInto(result.channels, positions, count, channels, at)
  }
  return { audio: { sampleRate: result.sampleRate, channels }, ratio }
}

function ratioThroughout({ result, from, pitchRatioAt, formantRatioAt }: Comparison): number | undefined {
  const ratio = pitchRatioAt(asOutput(from))
  if (!(Math.abs(Math.log2(ratio)) > NEAR_OCTAVES)) return undefined
  for (let n = 0; n <= LOOKS; n++) {
    const at = asOutput(from + (n * frameCount(result)) / LOOKS)
    if (Math.abs(pitchRatioAt(at) / ratio - 1) > 1e-6 || Math.abs(formantRatioAt(at) / ratio - 1) > 1e-6)
      return undefined
  }
  return ratio
}
