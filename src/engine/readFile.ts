import { AppError, bytesInMemory, checkSound, NO_MARKERS } from '../core'
import { hashAtOnce, hashOfBlob } from '../host/contentHash'
import { decodeFile } from '../host/decodeFile'
import { openPcmFile, warningsOf } from '../host/pcmFile'
import { type Film, isFilm, sniff } from '../host/sniff'
import { taggedTempo } from '../host/taggedTempo'
import type { decodeM4a as DecodeM4a } from './decodeM4a'
import type { DecodedSound } from './jobProtocol'
import { sharedCopy, sharedSamples } from './sharedMemory'
import { bytesOf, isLong, mayBeLong, type Sound, soundInMemory } from './sound'

/** Bytes of a file, and what else is told by them than its sound. */
interface ReadFile {
  readonly decoded: DecodedSound
  /** by which the file is known again */
  readonly hash: string
  readonly taggedBpm: number | undefined
}

/** Read a file: its sound comes to shared memory, but for a long one that can be read anywhere. */
export async function readFile(blob: Blob, file: string): Promise<ReadFile> {
  const film = await filmOf(blob, file)
  if (film)
    return { decoded: await openFilmSound(blob, file, film), hash: await hashOfBlob(blob), taggedBpm: undefined }
  const long = openLong(blob, file)
  if (long) return { decoded: long, hash: await hashOfBlob(blob), taggedBpm: await taggedTempo(bytesOf(blob, file)) }
  const bytes = new Uint8Array(await blob.arrayBuffer())
  const hash = await hashAtOnce(bytes)
  const taggedBpm = await taggedTempo(bytesInMemory(bytes))
  return { decoded: await decode(bytes, file), hash, taggedBpm }
}

/** Its sound alone, as soon as may be. One of more samples than `most` stays in a file that can be read anywhere. */
export async function readSound(blob: Blob, file: string, most?: number): Promise<DecodedSound> {
  const film = await filmOf(blob, file)
  if (film) return openFilmSound(blob, file, film)
  return openLong(blob, file, most) ?? decode(new Uint8Array(await blob.arrayBuffer()), file)
}

/** enough to tell a film */
const HEAD_BYTES = 64

/** What kind of film a file is; undefined for all else. */
async function filmOf(blob: Blob, file: string): Promise<Film | undefined> {
  const head = new Uint8Array(await blob.slice(0, HEAD_BYTES).arrayBuffer())
  try {
    const container = sniff(head, file)
    return isFilm(container) ? container : undefined
  } catch {
    // whoever decodes it says what it is
    return undefined
  }
}

/** The sound of a film. Its bytes are read as they are needed: films are large. */
async function openFilmSound(blob: Blob, file: string, container: Film): Promise<DecodedSound> {
  const { readFilm } = await import('./readFilm')
  const { audio, picture, warnings } = await readFilm(blob, file)
  if ((audio.channels[0]?.length ?? 0) === 0) throw new AppError('audio/empty', { file })
  checkSound({ sampleRate: audio.sampleRate, channelCount: audio.channels.length }, file)
  const sound = soundInMemory({ ...audio, channels: audio.channels.map(sharedCopy) })
  return { sound, container, depth: undefined, markers: NO_MARKERS, warnings, ...(picture && { picture }) }
}

function openLong(blob: Blob, file: string, most?: number): DecodedSound | undefined {
  const wav = mayBeLong(blob, most) ? openPcmFile(bytesOf(blob, file), file) : undefined
  if (!wav || !isLong(wav.source, most)) return undefined
  const { source, container, depth, markers } = wav
  const { sampleRate, channelCount, frames } = source
  const sound: Sound = { sampleRate, channelCount, frames, lies: { blob, file, from: 0 } }
  return { sound, container, depth, markers, warnings: warningsOf(wav, file) }
}

/** AAC; what decodes it is loaded with the first of them, as what reads films is. */
const decodeAac: typeof DecodeM4a = async (bytes, file) => (await import('./decodeM4a')).decodeM4a(bytes, file)

async function decode(bytes: Uint8Array, file: string): Promise<DecodedSound> {
  const { audio, ...rest } = await decodeFile(bytes, file, { M4A: decodeAac, AAC: decodeAac }, sharedSamples)
  return { ...rest, sound: soundInMemory({ ...audio, channels: audio.channels.map(sharedCopy) }) }
}
