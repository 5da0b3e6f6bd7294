import { ALL_FORMATS, AudioSampleSink, BufferSource, Input } from 'mediabunny'
import { AppError, type AudioBlock, silence } from '../core'

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
  const { sampleRate, numberOfChannels } = track
  const parts: Float32Array[][] = []
  let total = 0
  for await (const sample of new AudioSampleSink(track).samples()) {
    const skip = sample.timestamp < 0 ? Math.min(sample.numberOfFrames, Math.round(-sample.timestamp * sampleRate)) : 0
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
