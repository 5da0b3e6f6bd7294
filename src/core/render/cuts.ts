import type { Analysis, AnalysisNeed } from '../analysis/analysis'
import { type AudioBlock, silence } from '../audio/block'
import type { SoundSource } from '../audio/soundSource'
import { finish, type Preparing } from '../task'
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
/** cuts of a source that may be in use at the same time: of pieces that hand over, by several parts */
const MOST_KEPT = 8

interface Kept {
  readonly key: string
  readonly known: Analysis
  /** gone when no voice uses it any more */
  readonly cut: WeakRef<Cut>
}

/** What is kept of a cut by others is found under its block: so the same cut has the same one, as long as it is in use. */
const kept = new WeakMap<SoundSource, Kept[]>()
/** the one that was made last stays: who will use it may not have it yet */
const lastMade = new WeakMap<SoundSource, Cut>()

/** The part of a source that a piece is made of, with what lies around it. */
export function cutFor(source: SoundSource, span: Span, known: Analysis, needs: readonly AnalysisNeed[]): Cut {
  const { start, end } = around(source, span, known, needs)
  const there = keptCut(source, start, end, known)
  if (there) return there
  if (!source.slow) return keep(source, end, known, source.part(start, end), start)
  return finish(readCut(source, start, end, known, false))
}

/** frames that are read between two breaths */
const BREATH_FRAMES = 1 << 15

/** Have such a part there when it is asked for, in small steps; undefined where it is, or where it takes no time. */
export function prepareCut(
  source: SoundSource,
  span: Span,
  known: Analysis,
  needs: readonly AnalysisNeed[],
): Preparing | undefined {
  const { start, end } = around(source, span, known, needs)
  return source.slow && !keptCut(source, start, end, known) ? readCut(source, start, end, known, true) : undefined
}

/** of each source the cut that was begun last, and up to where it was read: whoever reads it next goes on there */
const begun = new WeakMap<SoundSource, { readonly key: string; readonly channels: Float32Array[]; done: number }>()

function* readCut(source: SoundSource, start: number, end: number, known: Analysis, mayWait: boolean): Preparing<Cut> {
  const { sampleRate, channelCount, ahead } = source
  const key = keyOf(start, end)
  const before = begun.get(source)
  const own = before?.key === key ? before : { key, channels: silence(channelCount, end - start), done: start }
  begun.set(source, own)
  const { channels } = own
  while (own.done < end) {
    const at = own.done
    const to = Math.min(end, at + BREATH_FRAMES)
    if (mayWait && ahead && ahead(at, end) < to - at) {
      yield 'waits'
      continue
    }
    const part = source.part(at, to)
    channels.forEach((channel, c) => {
      channel.set(part.channels[c] as Float32Array, at - start)
    })
    own.done = to
    yield
  }
  if (begun.get(source) === own) begun.delete(source)
  return keep(source, end, known, { sampleRate, channels }, start)
}

function around(source: SoundSource, span: Span, known: Analysis, needs: readonly AnalysisNeed[]) {
  const margin = Math.round(MARGIN_SECONDS * source.sampleRate)
  const grid = needs.includes('pitch') && known.pitch ? known.pitch.hopFrames : GRID
  const start = Math.floor(Math.max(0, span.from - margin) / grid) * grid
  // a span that differs by a hair has the same cut
  const end = Math.ceil((span.to + margin) / GRID) * GRID
  return { start, end: Math.min(source.frames, end) }
}

const keyOf = (start: number, end: number) => `${start} ${end}`

const keptCut = (source: SoundSource, start: number, end: number, known: Analysis): Cut | undefined =>
  kept
    .get(source)
    ?.find((one) => one.key === keyOf(start, end) && one.known === known)
    ?.cut.deref()

function keep(source: SoundSource, end: number, known: Analysis, audio: AudioBlock, start: number): Cut {
  const cut = { start, audio, analysis: analysisOf(known, start, end) }
  const others = (kept.get(source) ?? []).filter((one) => one.cut.deref()).slice(1 - MOST_KEPT)
  kept.set(source, [...others, { key: keyOf(start, end), known, cut: new WeakRef(cut) }])
  lastMade.set(source, cut)
  return cut
}

function analysisOf({ attacks, pitch, focus }: Analysis, start: number, end: number): Analysis {
  return {
    ...(attacks && {
      attacks: attacks
        .filter(({ frame }) => frame >= start && frame < end)
        .map((attack) => ({ ...attack, frame: attack.frame - start })),
    }),
    ...(pitch && { pitch: pitchOf(pitch, start, end) }),
    // it was told of the whole, and so are the settings that follow from it
    ...(focus && { focus }),
  }
}

function pitchOf({ hopFrames, hz, clarity }: NonNullable<Analysis['pitch']>, start: number, end: number) {
  const from = Math.round(start / hopFrames)
  const to = Math.ceil(end / hopFrames) + 1
  return { hopFrames, hz: hz.slice(from, to), clarity: clarity.slice(from, to) }
}
