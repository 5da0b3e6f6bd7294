import { closeSync, fstatSync, openSync, readSync, renameSync, rmSync, writeSync } from 'node:fs'
import { readFile, stat } from 'node:fs/promises'
import { basename, dirname, join, resolve } from 'node:path'
import {
  AppError,
  type AudioBlock,
  amplitudeToDb,
  type ByteSource,
  type DecodedFile,
  type PcmFile,
  type SampleFormat,
  type SoundSource,
} from '../core'
import { decodeFile } from '../host/decodeFile'
import { errorText } from '../host/errorText'
import { openPcmFile, warningsOf } from '../host/pcmFile'

export async function readBytes(file: string): Promise<Uint8Array> {
  try {
    if ((await stat(file)).isDirectory()) throw new AppError('audio/not-audio', { file })
    return await readFile(file)
  } catch (error) {
    if (error instanceof AppError) throw error
    const code = (error as NodeJS.ErrnoException).code
    throw code === 'ENOENT'
      ? new AppError('file/missing', { file })
      : new AppError('audio/unreadable', { file, why: String(code) }, error)
  }
}

export const readText = async (file: string) => new TextDecoder().decode(await readBytes(file))

export async function open(file: string, err: (line: string) => void): Promise<DecodedFile> {
  const decoded = await decodeFile(await readBytes(file), basename(file))
  warn(decoded.warnings, err)
  return decoded
}

function warn(warnings: DecodedFile['warnings'], err: (line: string) => void) {
  for (const warning of warnings) err(`zumbet: ${errorText(new AppError(warning.code, warning.details))}`)
}

/** A sound to be rendered: in memory, or in a file that is read where it is asked for. */
export type OpenSound = Pick<DecodedFile, 'depth' | 'markers'> &
  ({ readonly audio: AudioBlock } | { readonly wavFile: string; readonly source: SoundSource })

/** As `open`, but a WAV file's sound stays where it is: it may be hours long. */
export async function openSound(file: string, err: (line: string) => void): Promise<OpenSound> {
  const wav = wavFileAt(file)
  if (!wav) return open(file, err)
  warn(warningsOf(wav, basename(file)), err)
  const { source, depth, markers } = wav
  return { wavFile: file, source, depth, markers }
}

export const sourceOf = (sound: OpenSound): AudioBlock | SoundSource => ('audio' in sound ? sound.audio : sound.source)

/** The bytes of a file, read where they are asked for as long as the command runs; undefined where they cannot be. */
function bytesAt(file: string): (ByteSource & { close(): void }) | undefined {
  try {
    const fd = openSync(file, 'r')
    const { size: length } = fstatSync(fd)
    return {
      length,
      read(at, count) {
        const bytes = new Uint8Array(Math.max(0, Math.min(count, length - at)))
        return bytes.subarray(0, readSync(fd, bytes, 0, bytes.length, at))
      },
      close: () => closeSync(fd),
    }
  } catch {
    return undefined
  }
}

/** A WAV file, and its bytes; undefined for what is none, or cannot be read. */
export function wavFileAt(file: string): (PcmFile & { readonly bytes: ByteSource }) | undefined {
  const bytes = bytesAt(file)
  if (!bytes) return undefined
  try {
    const wav = openPcmFile(bytes, basename(file))
    if (wav) return { ...wav, bytes }
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code !== 'EISDIR') throw error
  }
  bytes.close()
  return undefined
}

/** The same sound in memory that other threads can see. */
export function shared(audio: AudioBlock): AudioBlock {
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

/** A file that only comes to its name when it is whole: until then it is a neighbour that `discard` removes. */
export function partialFile(target: string) {
  const place = join(dirname(resolve(target)), `.${basename(target)}.${process.pid}.part`)
  const guarded = <Result>(work: () => Result): Result => {
    try {
      return work()
    } catch (error) {
      throw unwritable(target, error)
    }
  }
  const fd = guarded(() => openSync(place, 'w'))
  const removeAtExit = () => rmSync(place, { force: true })
  process.once('exit', removeAtExit)
  let end = 0
  return {
    /** where it lies until it is kept */
    place,
    /** at a byte of the file, or behind what was written last */
    write(bytes: Uint8Array, at = end) {
      guarded(() => writeAll(fd, bytes, at))
      end = at + bytes.length
    },
    keep() {
      guarded(() => {
        closeSync(fd)
        renameSync(place, target)
      })
      process.off('exit', removeAtExit)
    },
    discard() {
      try {
        closeSync(fd)
      } catch {
        // it was closed before its name was refused
      }
      removeAtExit()
      process.off('exit', removeAtExit)
    },
  }
}

export const unwritable = (file: string, error: unknown) =>
  new AppError('file/unwritable', { file, why: String((error as NodeJS.ErrnoException).code ?? error) }, error)

/** A write may take less than it is given, on a disk that is nearly full. */
export function writeAll(fd: number, bytes: Uint8Array, at: number) {
  for (let done = 0; done < bytes.length; ) done += writeSync(fd, bytes, done, bytes.length - done, at + done)
}
