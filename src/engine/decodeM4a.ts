import { ALL_FORMATS, BufferSource, Input } from 'mediabunny'
import { AppError, type AudioBlock, bytesInMemory } from '../core'
import { gapOf, mp4Fields } from '../host/mp4Fields'
import { samplesOf } from './readFilm'

/**
 * AAC in its own container or bare, through the browser's decoder, at the file's own rate. What its encoder put before
 * and behind the sound is left out where the file says how much that is.
 * @throws {AppError} `audio/unsupported` where this browser has no decoder for it.
 */
export async function decodeM4a(bytes: Uint8Array, file: string): Promise<AudioBlock> {
  const input = new Input({ source: new BufferSource(bytes), formats: ALL_FORMATS })
  const track = await input.getPrimaryAudioTrack()
  if (!track) throw new AppError('audio/unsupported', { file, what: 'a file without an audio track' })
  if (!(await track.canDecode())) {
    throw new AppError('audio/unsupported', { file, what: `${track.codec ?? 'an unknown'} coding in this browser` })
  }
  const audio = await samplesOf(track, false)
  const gap = gapOf(mp4Fields(bytesInMemory(bytes)))
  if (!gap) return audio
  // an edit list has told the delay already: what lies before the first moment was left out
  const from = (await track.getFirstTimestamp()) < 0 ? 0 : gap.delay
  return { ...audio, channels: audio.channels.map((channel) => channel.slice(from, from + gap.frames)) }
}
