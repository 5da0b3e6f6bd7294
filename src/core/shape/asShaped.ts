import type { Analysis } from '../analysis/analysis'
import { partAround, type SoundSource, soundSource } from '../audio/soundSource'
import { attacksLeft } from './prepare'
import { type Shaped, type Shaping, shapedFor, shapesBefore } from './shaped'

/** what around a part has a say in its layers, s */
const MARGIN_SECONDS = 3

/**
 * A source as a recipe wants it to be heard: what a result of it is to be held against. A filter on the result is taken
 * to have been on the source, so that what was drawn on purpose is no harm. Itself where nothing is shaped.
 */
export function asShaped(
  source: SoundSource,
  analysis: Analysis,
  shaping: Shaping,
): { readonly source: SoundSource; readonly analysis: Analysis } {
  const { prepare, filter } = shaping
  const by: Shaping = { ...(prepare && { prepare }), ...(filter && { filter: { ...filter, at: 'before' } }) }
  if (!shapesBefore(by)) return { source, analysis }
  if (!source.slow) {
    const whole = shapedFor({ audio: source.part(0, source.frames), analysis }, by)
    const { levels: _, ahead: __, kin: ___, ...rest } = source
    return { source: { ...rest, part: soundSource(whole.audio).part }, analysis: whole.analysis }
  }
  const margin = Math.round(MARGIN_SECONDS * source.sampleRate)
  const shapedPart = (from: number, to: number): Shaped & { readonly start: number } => {
    const { start, audio } = partAround(source, from - margin, to + margin)
    const attacks = analysis.attacks
      ?.filter(({ frame }) => frame >= start && frame < to + margin)
      .map((attack) => ({ ...attack, frame: attack.frame - start }))
    return { ...shapedFor({ audio, analysis: { ...(attacks && { attacks }) } }, by), start }
  }
  const { levels: _, ...rest } = source
  return {
    source: {
      ...rest,
      part(from, to) {
        const { audio, start } = shapedPart(from, to)
        return soundSource(audio).part(from - start, to - start)
      },
    },
    analysis: { ...analysis, ...(analysis.attacks && { attacks: shapedAttacks(source, analysis, by) }) },
  }
}

const shapedAttacks = ({ sampleRate }: SoundSource, { attacks = [] }: Analysis, { prepare }: Shaping) =>
  prepare ? attacksLeft(attacks, prepare, sampleRate) : attacks

/** Tells apart what sources are heard as. */
export const shapingKey = ({ prepare, filter }: Shaping) =>
  prepare || filter ? JSON.stringify([prepare, filter?.points, filter?.fineHz]) : ''
