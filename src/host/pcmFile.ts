import {
  AppError,
  type ByteSource,
  type DecodedFile,
  openAiff,
  openCaf,
  openWav,
  type PackedAiff,
  type PcmFile,
  silence,
} from '../core'
import { type Container, sniff } from './sniff'

const HEAD_BYTES = 12

/**
 * A file of plain samples (WAV, AIFF, CAF), which are read where they are asked for; undefined for what is none.
 * @throws {AppError} as `sniff` and what opens each kind.
 */
export function openPcmFile(bytes: ByteSource, file: string): PcmFile | undefined {
  const head = bytes.read(0, HEAD_BYTES)
  if (!/^((RIFF|RF64|BW64)....WAVE|FORM....AIF|caff)/s.test(String.fromCharCode(...head))) return undefined
  const opened = openKind(sniff(head, file), bytes, file)
  return opened && 'source' in opened ? opened : undefined
}

/** What the header of such a file says; of a packed AIFF file no more than that. Undefined for other kinds. */
export function openKind(container: Container, bytes: ByteSource, file: string): PcmFile | PackedAiff | undefined {
  if (container === 'WAV') return openWav(bytes, file)
  if (container === 'AIFF') return openAiff(bytes, file)
  return container === 'CAF' ? openCaf(bytes, file) : undefined
}

const LOOK_FRAMES = 1 << 16

/** What is to be told of such a file before it is used: samples that are no numbers, which are read as 0. */
export function warningsOf({ source, readInto, mayBeStrange }: PcmFile, file: string): DecodedFile['warnings'] {
  let samples = 0
  for (let at = 0; mayBeStrange && at < source.frames; at += LOOK_FRAMES)
    samples += readInto(silence(source.channelCount, Math.min(LOOK_FRAMES, source.frames - at)), at)
  return samples > 0 ? [{ code: 'audio/not-finite', details: { file, samples } }] : []
}

/** @throws {AppError} `audio/truncated` where a packed file says that it holds more than it can. */
export function checkPacked({ frames, said }: PackedAiff, file: string) {
  if (said > frames) throw new AppError('audio/truncated', { file, missing: `${said - frames} of ${said} frames` })
}
