import { type ByteSource, type DecodedFile, openWav, silence, type WavFile } from '../core'
import { sniff } from './sniff'

/**
 * A WAV file whose sound is read where it is asked for; undefined for what is none, or what cannot be read.
 * @throws {AppError} as `sniff` and `openWav`.
 */
export function openWavFile(bytes: ByteSource, file: string): WavFile | undefined {
  const head = bytes.read(0, 12)
  if (!/^(RIFF|RF64|BW64)....WAVE$/s.test(String.fromCharCode(...head))) return undefined
  sniff(head, file)
  return openWav(bytes, file)
}

const LOOK_FRAMES = 1 << 16

/** What is to be told of such a file before it is used: samples that are no numbers, which are read as 0. */
export function warningsOf({ source, readInto, depth }: WavFile, file: string): DecodedFile['warnings'] {
  let samples = 0
  // others are always numbers
  for (let at = 0; depth?.float && at < source.frames; at += LOOK_FRAMES)
    samples += readInto(silence(source.channelCount, Math.min(LOOK_FRAMES, source.frames - at)), at)
  return samples > 0 ? [{ code: 'audio/not-finite', details: { file, samples } }] : []
}
