import { createOverviewBuilder, joinOverviews, type Overview, type OverviewPart } from '../analysis/overview'
import { createLoudnessMeter, type LoudnessPart, loudnessOf } from './loudness'

/** What is shown of a sound: its drawing and its level. */
export interface Survey {
  readonly overview: Overview
  readonly frames: number
  /** largest absolute sample */
  readonly peak: number
  /** integrated, LUFS; −Infinity for silence */
  readonly loudness: number
}

/** What one part of a sound adds to it. Plain data. */
export interface SurveyPart {
  readonly overview: OverviewPart
  readonly loudness: LoudnessPart
  readonly peak: number
}

export interface SurveyedSound {
  readonly frames: number
  readonly sampleRate: number
  readonly channelCount: number
}

/** Survey a sound, or the span of it that comes here, from blocks as they come. */
export function createSurvey(sound: SurveyedSound, span = { from: 0, to: sound.frames }) {
  const overview = createOverviewBuilder(sound.frames, span)
  const meter = createLoudnessMeter(sound.sampleRate, sound.channelCount, span.from)
  let peak = 0
  const part = (): SurveyPart => ({ overview: overview.part(), loudness: meter.part(), peak })
  return {
    add(block: readonly Float32Array[], count: number) {
      overview.add(block, count)
      meter.add(block, count)
      for (const channel of block) for (let i = 0; i < count; i++) peak = Math.max(peak, Math.abs(channel[i] as number))
    },
    part,
    finish: (): Survey => joinSurveys(sound, [part()]),
  }
}

/** The survey of a sound from those of parts that make it up, in any order. */
export function joinSurveys({ frames, sampleRate }: SurveyedSound, parts: readonly SurveyPart[]): Survey {
  return {
    overview: joinOverviews(
      frames,
      parts.map(({ overview }) => overview),
    ),
    frames,
    peak: parts.reduce((most, { peak }) => Math.max(most, peak), 0),
    loudness: loudnessOf(
      frames,
      sampleRate,
      parts.map(({ loudness }) => loudness),
    ),
  }
}
