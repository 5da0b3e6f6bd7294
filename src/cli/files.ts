import { closeSync, fstatSync, openSync, readSync, renameSync, rmSync, writeSync } from 'node:fs'
import { readFile, stat } from 'node:fs/promises'
import { basename, dirname, join, resolve } from 'node:path'
import {
  AppError,
  type AudioBlock,
  amplitudeToDb,
  type DecodedFile,
  openWav,
  type SampleFormat,
  type SoundSource,
  silence,
  type WavFile,
} from '../core'
import { decodeFile } from '../host/decodeFile'
import { errorText } from '../host/errorText'
import { sniff } from '../host/sniff'

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
  const wav = openWavFile(file)
  if (!wav) return open(file, err)
  const { source, readInto, depth, markers } = wav
  // other samples are always finite
  let samples = 0
  for (let at = 0; depth?.float && at < source.frames; at += LOOK_FRAMES)
    samples += readInto(silence(source.channelCount, Math.min(LOOK_FRAMES, source.frames - at)), at)
  if (samples > 0) warn([{ code: 'audio/not-finite', details: { file: basename(file), samples } }], err)
  return { wavFile: file, source, depth, markers }
}

const LOOK_FRAMES = 1 << 16

export const sourceOf = (sound: OpenSound): AudioBlock | SoundSource => ('audio' in sound ? sound.audio : sound.source)

/** A WAV file, open as long as the command runs; undefined for what is none, or cannot be read. */
export function openWavFile(file: string): WavFile | undefined {
  let fd: number
  let length: number
  try {
    fd = openSync(file, 'r')
    length = fstatSync(fd).size
  } catch {
    return undefined
  }
  const read = (at: number, count: number) => {
    const bytes = new Uint8Array(Math.max(0, Math.min(count, length - at)))
    return bytes.subarray(0, readSync(fd, bytes, 0, bytes.length, at))
  }
  try {
    const head = read(0, 12)
    if (/^(RIFF|RF64|BW64)....WAVE$/s.test(String.fromCharCode(...head))) {
      sniff(head, basename(file))
      return openWav({ length, read }, basename(file))
    }
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code !== 'EISDIR') throw error
  }
  closeSync(fd)
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
