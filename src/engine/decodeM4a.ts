import { ALL_FORMATS, BufferSource, Input } from 'mediabunny'
import { AppError, type AudioBlock } from '../core'
import { samplesOf } from './readFilm'

/**
 * AAC in its own container or bare, through the browser's decoder, at the file's own rate.
 * @throws {AppError} `audio/unsupported` where this browser has no decoder for it.
 */
export async function decodeM4a(bytes: Uint8Array, file: string): Promise<AudioBlock> {
  const input = new Input({ source: new BufferSource(bytes), formats: ALL_FORMATS })
  const track = await input.getPrimaryAudioTrack()
  if (!track) throw new AppError('audio/unsupported', { file, what: 'a file without an audio track' })
  if (!(await track.canDecode())) {
    throw new AppError('audio/unsupported', { file, what: `${track.codec ?? 'an unknown'} coding in this browser` })
  }
  return samplesOf(track, false)
}
