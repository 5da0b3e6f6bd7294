import { ALL_FORMATS, AudioSampleSink, BlobSource, Input, type InputAudioTrack, type InputVideoTrack } from 'mediabunny'
import { AppError, type AudioBlock, silence } from '../core'
import type { SourceFacts } from '../session'

export type PictureFacts = NonNullable<SourceFacts['picture']>

/** What a film holds: its sound, from the first moment of its file on, and what is to be said of its picture. */
export interface ReadFilm {
  readonly audio: AudioBlock
  readonly picture: PictureFacts | undefined
  readonly warnings: readonly { readonly code: string; readonly details: Record<string, string | number> }[]
}

/** Hz: of the silence that stands in for a sound that is not there. It takes little room. */
const SILENT_RATE = 8000

/** @throws {AppError} `audio/unreadable`, `film/nothing`. */
export async function readFilm(blob: Blob, file: string): Promise<ReadFilm> {
  try {
    const input = new Input({ source: new BlobSource(blob), formats: ALL_FORMATS })
    const [sound, film] = await Promise.all([input.getPrimaryAudioTrack(), input.getPrimaryVideoTrack()])
    const isShown = film !== null && (await film.canDecode())
    const isHeard = sound !== null && (await sound.canDecode())
    if (!isShown && !isHeard) throw new AppError('film/nothing', { file })
    const picture = isShown ? await factsOf(film) : undefined
    const audio = isHeard
      ? await samplesOf(sound, true)
      : { sampleRate: SILENT_RATE, channels: silence(1, Math.round((picture?.seconds ?? 0) * SILENT_RATE)) }
    const warnings = [
      ...(isHeard ? [] : [{ code: 'film/silent', details: { file } }]),
      ...(film && !isShown
        ? [{ code: 'film/unshown', details: { file, coding: film.codec ?? 'an unknown coding' } }]
        : []),
    ]
    return { audio, picture, warnings }
  } catch (error) {
    if (error instanceof AppError) throw error
    throw new AppError('audio/unreadable', { file, why: 'its film data is damaged' }, error)
  }
}

/** rates that films have: what is measured from a few pictures comes near them */
const RATES = [23.976, 24, 25, 29.97, 30, 48, 50, 59.94, 60]
const NEAR = 0.004
const LOOKED_AT = 200

async function factsOf(film: InputVideoTrack): Promise<PictureFacts> {
  const { averagePacketRate } = await film.computePacketStats(LOOKED_AT)
  const rate = RATES.find((usual) => Math.abs(averagePacketRate / usual - 1) < NEAR) ?? averagePacketRate
  return { seconds: await film.computeDuration(), width: film.displayWidth, height: film.displayHeight, rate }
}

/**
 * All samples of a track, at its own rate.
 * @param placed  they lie where the file says: silence before the first of them. Else they begin with it.
 */
export async function samplesOf(track: InputAudioTrack, placed: boolean): Promise<AudioBlock> {
  const { sampleRate, numberOfChannels } = track
  const parts: Float32Array[][] = []
  let total = 0
  for await (const sample of new AudioSampleSink(track).samples()) {
    const at = Math.round(sample.timestamp * sampleRate)
    const skip = at < 0 ? Math.min(sample.numberOfFrames, -at) : 0
    if (placed && parts.length === 0 && at > 0) {
      parts.push(silence(numberOfChannels, at))
      total += at
    }
    const part = Array.from({ length: numberOfChannels }, (_, planeIndex) => {
      const plane = new Float32Array(sample.numberOfFrames)
      sample.copyTo(plane, { planeIndex, format: 'f32-planar' })
      return plane.subarray(skip)
    })
    parts.push(part)
    total += sample.numberOfFrames - skip
    sample.close()
  }
  const channels = silence(numberOfChannels, total)
  let at = 0
  for (const part of parts) {
    part.forEach((plane, c) => {
      channels[c]?.set(plane, at)
    })
    at += part[0]?.length ?? 0
  }
  return { sampleRate, channels }
}
