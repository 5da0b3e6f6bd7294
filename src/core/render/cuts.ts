import type { Analysis, AnalysisNeed } from '../analysis/analysis'
import type { AudioBlock } from '../audio/block'
import type { SoundSource } from '../audio/soundSource'
import type { Span } from './seams'

/** A part of a source as methods see it: frames of all of it count from `start`. */
export interface Cut {
  readonly start: number
  readonly audio: AudioBlock
  readonly analysis: Analysis
}

/** what lies around a piece and still has a say in it: windows, what lasts along time, the attack before and how it dies away */
const MARGIN_SECONDS = 3
/** windows of any method begin on the same frames of every cut, unless it is the pitch track whose steps have to fall into place */
const GRID = 1 << 14
/** a piece and the one that it hands over to */
const KEPT = 2

/** What is kept of a cut by others is found under its block: so the same cut has the same one, as long as it is in use. */
const kept = new WeakMap<SoundSource, { readonly key: string; readonly known: Analysis; readonly cut: Cut }[]>()

/** The part of a source that a piece is made of, with what lies around it. */
export function cutFor(source: SoundSource, span: Span, known: Analysis, needs: readonly AnalysisNeed[]): Cut {
  const margin = Math.round(MARGIN_SECONDS * source.sampleRate)
  const grid = needs.includes('pitch') && known.pitch ? known.pitch.hopFrames : GRID
  const start = Math.floor(Math.max(0, span.from - margin) / grid) * grid
  const end = Math.min(source.frames, span.to + margin)
  const key = `${start} ${end}`
  const cuts = kept.get(source) ?? []
  const before = cuts.find((one) => one.key === key && one.known === known)
  if (before) return before.cut
  const cut = { start, audio: source.part(start, end), analysis: analysisOf(known, start, end) }
  kept.set(source, [...cuts.slice(1 - KEPT), { key, known, cut }])
  return cut
}

function analysisOf({ attacks, pitch }: Analysis, start: number, end: number): Analysis {
  return {
    ...(attacks && {
      attacks: attacks
        .filter(({ frame }) => frame >= start && frame < end)
        .map((attack) => ({ ...attack, frame: attack.frame - start })),
    }),
    ...(pitch && { pitch: pitchOf(pitch, start, end) }),
  }
}

function pitchOf({ hopFrames, hz, clarity }: NonNullable<Analysis['pitch']>, start: number, end: number) {
  const from = Math.round(start / hopFrames)
  const to = Math.ceil(end / hopFrames) + 1
  return { hopFrames, hz: hz.slice(from, to), clarity: clarity.slice(from, to) }
}
