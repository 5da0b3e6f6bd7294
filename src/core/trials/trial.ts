import { type Analysis, type Attack, analyseTask } from '../analysis/analysis'
import { type AudioBlock, silence } from '../audio/block'
import { type SoundSource, soundSource } from '../audio/soundSource'
import type { Artefact } from '../measure/artefacts'
import type { Comparison } from '../measure/comparison'
import { type Measurement, measureTask } from '../measure/measure'
import { readSource, type SourceReading } from '../measure/sourceReading'
import { needsOf, openRendering, planOf } from '../render/openVoice'
import type { Recipe } from '../render/recipe'
import { asShaped } from '../shape/asShaped'
import { partOf, type Task } from '../task'
import { asOutput, asSource } from '../timeline/axes'
import type { TimeMap } from '../timeline/timeMap'
import { meantBy } from './comparisonOf'
import type { Span } from './excerpt'

/** A result, or a part of it, rendered and measured. Plain data. */
export interface Trial {
  /** what was rendered and measured, output frames */
  readonly span: Span
  readonly measurement: Measurement
}

/** The figures of a trial alone, for where many are kept and places are not asked for. */
export const withoutPlaces = (trial: Trial): Trial => ({
  ...trial,
  measurement: {
    ...trial.measurement,
    artefacts: trial.measurement.artefacts.map((artefact) => ({ ...artefact, places: [] })),
  },
})

const BLOCK_FRAMES = 4096
/** result that is rendered on either side of a part: half of the longest window, and more */
const MARGIN_SECONDS = 0.2
/** source that is looked at around a part, so that what rings into it is known */
const AROUND_SECONDS = 1.5

/** as `measureTask` takes them */
type MeasureOptions = NonNullable<Parameters<typeof measureTask>[2]>

/** Finds out what measures need to know of a part of a source that begins at frame `start` of the whole. */
export type ReadPart = (part: AudioBlock, attacks: readonly Attack[] | undefined, start: number) => Task<SourceReading>

/** Render a part of a result into memory: what a listener hears who starts there. */
export function* renderSpan(
  sound: AudioBlock | SoundSource,
  recipe: Recipe,
  span: Span,
  analysis: Analysis,
): Task<AudioBlock> {
  const source = soundSource(sound)
  const { voice } = openRendering(source, recipe, analysis)
  const frames = span.to - span.from
  const channels = silence(source.channelCount, frames)
  for (let doneFrames = 0; doneFrames < frames; ) {
    const count = Math.min(BLOCK_FRAMES, frames - doneFrames)
    voice.read(
      span.from + doneFrames,
      channels.map((channel) => channel.subarray(doneFrames, doneFrames + count)),
    )
    doneFrames += count
    yield { doneFrames, totalFrames: frames }
  }
  return { sampleRate: source.sampleRate, channels }
}

/**
 * Render a part of a result and measure it.
 * @param reading  of this very source as it is meant to be heard, whole, where there is one already; only used where
 *   the part is all of it.
 */
export function* trialTask(
  sound: AudioBlock | SoundSource,
  recipe: Recipe,
  span: Span,
  known: Analysis = {},
  reading?: SourceReading,
  readPart?: ReadPart,
  options?: MeasureOptions,
): Task<Trial> {
  const source = soundSource(sound)
  const analysis = yield* analyseTask(sound, needsOf(recipe), known)
  const { map } = planOf(recipe, source, analysis.attacks)
  const margin = Math.round(MARGIN_SECONDS * source.sampleRate)
  const rendered = { from: Math.max(0, span.from - margin), to: Math.min(map.outputFrames, span.to + margin) }
  const result = yield* partOf(renderSpan(source, recipe, rendered, analysis), 0, 0.5)
  const made = { audio: result, from: rendered.from }
  const heard = asShaped(source, analysis, recipe)
  const measuring = measureSpan(heard.source, made, recipe, span, heard.analysis.attacks, reading, readPart, options)
  return { span, measurement: yield* partOf(measuring, 0.5, 1) }
}

/**
 * Measure a part of a result against the part of the source that it comes from, with places in the whole source.
 * @param sound  the source as it was meant to be heard, `asShaped`.
 * @param result  at least that part, and the output frame at which it begins; what is around it keeps its ends from
 *   looking cut.
 */
export function* measureSpan(
  sound: AudioBlock | SoundSource,
  result: { readonly audio: AudioBlock; readonly from: number },
  recipe: Recipe,
  span: Span,
  attacks?: readonly Attack[],
  reading?: SourceReading,
  readPart: ReadPart = readSource,
  options: MeasureOptions = {},
): Task<Measurement> {
  const source = soundSource(sound)
  const meant = meantBy(recipe, source, attacks)
  const { start, end } = partBehind(source, meant.map, span)
  const comparison: Comparison = {
    ...meant,
    source: source.part(start, end),
    result: result.audio,
    from: result.from,
    inner: { start: span.from - result.from, end: span.to - result.from },
    ...(attacks && { attacks }),
  }
  if (start === 0 && end === source.frames) return yield* measureTask(comparison, reading, options)
  const cut = countedFrom(comparison, start, end)
  const measurement = yield* measureTask(cut, yield* readPart(cut.source, cut.attacks, start), options)
  const moved = (artefact: Artefact): Artefact => ({
    ...artefact,
    places: artefact.places.map((place) => ({ ...place, sourceFrame: place.sourceFrame + start })),
  })
  return {
    ...measurement,
    artefacts: measurement.artefacts.map(moved),
  }
}

/** As much of a source as has to do with a part of its result. */
function partBehind({ frames, sampleRate }: SoundSource, map: TimeMap, span: Span): { start: number; end: number } {
  const around = AROUND_SECONDS * sampleRate
  return {
    start: Math.max(0, Math.floor(map.sourceAt(asOutput(span.from)) - around)),
    end: Math.min(frames, Math.ceil(map.sourceAt(asOutput(span.to)) + around)),
  }
}

/** A comparison whose source is only a part of it: what is said in frames of the whole, in frames of the part. */
function countedFrom(whole: Comparison, start: number, end: number): Comparison {
  const { map, attacks } = whole
  return {
    ...whole,
    map: {
      ...map,
      sourceFrames: end - start,
      sourceAt: (output) => asSource(map.sourceAt(output) - start),
      outputAt: (frame) => map.outputAt(asSource(frame + start)),
      speedAt: (output) => map.speedAt(output),
    },
    ...(attacks && {
      attacks: attacks
        .filter(({ frame }) => frame >= start && frame < end)
        .map((attack) => ({ ...attack, frame: attack.frame - start })),
    }),
  }
}
