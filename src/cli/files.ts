import { closeSync, fstatSync, openSync, readSync, statSync, writeSync } from 'node:fs'
import { readFile, stat } from 'node:fs/promises'
import { basename } from 'node:path'
import {
  AppError,
  type AudioBlock,
  amplitudeToDb,
  type ByteSource,
  bytesInMemory,
  type DecodedFile,
  type PcmFile,
  type SampleFormat,
  type SoundSource,
  soundSource,
} from '../core'
import { decodeFile } from '../host/decodeFile'
import { errnoText } from '../host/errnoText'
import { errorText } from '../host/errorText'
import { openPcmFile, warningsOf } from '../host/pcmFile'
import { taggedTempo } from '../host/taggedTempo'

export async function readBytes(file: string): Promise<Uint8Array> {
  try {
    if (!(await stat(file)).isFile()) throw new AppError('file/no-file', { file })
    return await readFile(file)
  } catch (error) {
    throw error instanceof AppError ? error : unreadable(file, error)
  }
}

const unreadable = (file: string, error: unknown) =>
  (error as NodeJS.ErrnoException).code === 'ENOENT'
    ? new AppError('file/missing', { file })
    : new AppError('file/unreadable', { file, why: errnoText(error) }, error)

export const readText = async (file: string) => new TextDecoder().decode(await readBytes(file))

export async function open(file: string, err: (line: string) => void): Promise<DecodedFile> {
  const decoded = await decodeFile(await readBytes(file), basename(file))
  warn(decoded.warnings, err)
  return decoded
}

function warn(warnings: DecodedFile['warnings'], err: (line: string) => void) {
  for (const warning of warnings) err(`zumbet: ${errorText(new AppError(warning.code, warning.details))}`)
}

/** A file, or a part of one, such as a sound within a session file. Plain data. */
export type FilePlace = string | FilePart

export interface FilePart {
  readonly file: string
  /** bytes */
  readonly at: number
  readonly length: number
  /** what the part is called */
  readonly name: string
}

const nameOf = (place: FilePlace) => (typeof place === 'string' ? basename(place) : place.name)

/** A sound to be worked with: in memory, or in a file that is read where it is asked for. */
export type OpenSound = Pick<DecodedFile, 'depth' | 'markers' | 'container'> &
  ({ readonly audio: AudioBlock } | { readonly pcmFile: FilePlace; readonly source: SoundSource })

/** As `open`, but plain samples stay in their file: it may be hours long. */
export const openSound = async (file: string, err: (line: string) => void): Promise<OpenSound> =>
  openPcmSound(file, err) ?? open(file, err)

/** The same for plain samples alone; undefined for all else. */
export function openPcmSound(place: FilePlace, err: (line: string) => void): OpenSound | undefined {
  const pcm = pcmFileAt(place)
  if (!pcm) return undefined
  warn(warningsOf(pcm, nameOf(place)), err)
  const { source, depth, markers, container } = pcm
  return { pcmFile: place, source, depth, markers, container }
}

/** larger files stay where they are, if they can be read anywhere */
const MOST_BYTES_IN_MEMORY = 2 ** 26

/** As `openSound`, with what its tags say of a tempo. What is small comes into memory: it is read more than once. */
export async function readSound(file: string): Promise<{
  readonly sound: OpenSound
  readonly taggedBpm: number | undefined
  readonly warnings: DecodedFile['warnings']
}> {
  const large = (statSync(file, { throwIfNoEntry: false })?.size ?? 0) > MOST_BYTES_IN_MEMORY
  const pcm = large ? pcmFileAt(file) : undefined
  if (pcm) {
    const { source, depth, markers, container, bytes } = pcm
    const sound = { pcmFile: file, source, depth, markers, container }
    return { sound, taggedBpm: await taggedTempo(bytes), warnings: warningsOf(pcm, basename(file)) }
  }
  const bytes = await readBytes(file)
  const sound = await decodeFile(bytes, basename(file))
  return { sound, taggedBpm: await taggedTempo(bytesInMemory(bytes)), warnings: sound.warnings }
}

export const sourceOf = (sound: OpenSound): AudioBlock | SoundSource => ('audio' in sound ? sound.audio : sound.source)

/**
 * The bytes of a file, read where they are asked for until it is closed.
 * @throws {AppError} `file/missing`, `file/no-file`, `file/unreadable`.
 */
export function openBytes(file: string): ByteSource & { close(): void } {
  let fd: number | undefined
  try {
    fd = openSync(file, 'r')
    const stats = fstatSync(fd)
    if (!stats.isFile()) throw new AppError('file/no-file', { file })
    const { size: length } = stats
    const own = fd
    return {
      length,
      read(at, count) {
        const bytes = new Uint8Array(Math.max(0, Math.min(count, length - at)))
        return bytes.subarray(0, readSync(own, bytes, 0, bytes.length, at))
      },
      close: () => closeSync(own),
    }
  } catch (error) {
    if (fd !== undefined) closeSync(fd)
    throw error instanceof AppError ? error : unreadable(file, error)
  }
}

/** The bytes of a part of a file, counted from where it begins. To be closed. @throws {AppError} as `openBytes`. */
export function openPart({ file, at: start, length }: FilePart): ReturnType<typeof openBytes> {
  const whole = openBytes(file)
  return {
    length,
    read: (at, count) => whole.read(start + at, Math.max(0, Math.min(count, length - at))),
    close: whole.close,
  }
}

/** A file of plain samples, and its bytes; undefined for what is none. @throws {AppError} as `openBytes`. */
export function pcmFileAt(place: FilePlace): (PcmFile & { readonly bytes: ByteSource }) | undefined {
  const bytes = typeof place === 'string' ? openBytes(place) : openPart(place)
  const pcm = openPcmFile(bytes, nameOf(place))
  if (pcm) return { ...pcm, bytes }
  bytes.close()
  return undefined
}

/** The samples of such a file that was opened before. @throws {AppError} `file/missing` where it is there no longer. */
function pcmSourceAt(place: FilePlace): SoundSource {
  const source = pcmFileAt(place)?.source
  if (!source) throw new AppError('file/missing', { file: nameOf(place) })
  return source
}

/** A sound as it is given to other threads: in memory that all see, or in a file that each reads where it needs it. */
export type SentSound = AudioBlock | { readonly pcmFile: FilePlace }

export const sent = (sound: OpenSound): SentSound =>
  'audio' in sound ? shared(sound.audio) : { pcmFile: sound.pcmFile }

/** @throws {AppError} `file/missing` where its file is there no longer. */
export const openSent = (sound: SentSound): SoundSource =>
  'pcmFile' in sound ? pcmSourceAt(sound.pcmFile) : soundSource(sound)

/** The same sound in memory that other threads can see. */
function shared(audio: AudioBlock): AudioBlock {
  const channels = audio.channels.map((channel) => {
    const copy = new Float32Array(new SharedArrayBuffer(4 * channel.length))
    copy.set(channel)
    return copy
  })
  return { ...audio, channels }
}

export function ownFormat(source: Pick<DecodedFile, 'depth'>): SampleFormat {
  const { depth } = source
  if (!depth) return '24'
  if (depth.float) return '32f'
  return depth.bits <= 16 ? '16' : depth.bits <= 24 ? '24' : '32'
}

export const formatName = (format: SampleFormat) => (format === '32f' ? '32-bit float' : `${format} bits`)
export const dbText = (peak: number) => (peak > 0 ? amplitudeToDb(peak).toFixed(2) : '-inf')

/** A write may take less than it is given, on a disk that is nearly full. */
export function writeAll(fd: number, bytes: Uint8Array, at: number) {
  for (let done = 0; done < bytes.length; ) done += writeSync(fd, bytes, done, bytes.length - done, at + done)
}
