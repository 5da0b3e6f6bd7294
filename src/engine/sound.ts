import {
  AppError,
  type AudioBlock,
  amongKin,
  type ByteSource,
  frameCount,
  inBlocks,
  type Levels,
  type SoundSource,
  soundSource,
  sourceWithin,
} from '../core'
import { openPcmFile } from '../host/pcmFile'

/**
 * A decoded sound as threads hand it to each other. Its samples lie in memory that all of them see, or, of a long one,
 * in a WAV file that each reads where it needs it. Plain data.
 */
export interface Sound {
  readonly sampleRate: number
  readonly channelCount: number
  readonly frames: number
  readonly lies: InMemory | InFile
  /** of one of several that were recorded together: all of them, the one that leads first, and which of them it is */
  readonly kin?: { readonly sounds: readonly Sound[]; readonly own: number }
}

interface InMemory {
  readonly channels: readonly Float32Array[]
}

interface InFile {
  readonly blob: Blob
  readonly file: string
  /** the frame of the file that the sound begins at */
  readonly from: number
  /** of a whole file, which was looked through when it was opened */
  readonly levels?: Levels
}

/** four minutes of stereo: longer ones stay in their file, where that can be read anywhere */
const MOST_SAMPLES_ALONE = 2 * 48_000 * 240
/** a minute: of those that play together many lie in memory */
export const MOST_SAMPLES_TOGETHER = 2 * 48_000 * 60

export const isLong = ({ frames, channelCount }: Pick<Sound, 'frames' | 'channelCount'>, most = MOST_SAMPLES_ALONE) =>
  frames * channelCount > most

/** Whether a file can hold so much: no sample takes less than a byte. */
export const mayBeLong = (file: Blob, most = MOST_SAMPLES_ALONE) => file.size > most

/** Whether it is known how loud it is where, as far as that takes a while to find out. */
export const hasLevels = ({ lies, kin }: Sound): boolean =>
  ('channels' in lies || lies.levels !== undefined) && (kin?.sounds.every(hasLevels) ?? true)

export const isInMemory = ({ lies }: Sound): boolean => 'channels' in lies

/** Samples that a sound holds in memory. */
export const samplesHeld = (sound: Sound): number => (isInMemory(sound) ? sound.frames * sound.channelCount : 0)

export const soundInMemory = (audio: AudioBlock): Sound => ({
  sampleRate: audio.sampleRate,
  channelCount: audio.channels.length,
  frames: frameCount(audio),
  lies: { channels: audio.channels },
})

/** A sound that stays in its file, with what was found out when it was looked through. */
export const withLevels = (sound: Sound, levels: Levels | undefined): Sound =>
  levels && 'blob' in sound.lies ? { ...sound, lies: { ...sound.lies, levels } } : sound

/** One of several sounds that were recorded together; the first of them leads. */
export const amongSounds = (sounds: readonly Sound[], own: number): Sound => ({
  ...(sounds[own] as Sound),
  kin: { sounds, own },
})

/** The sound by which one is timed: of kin the one that leads. */
export const leadSound = (sound: Sound): Sound => sound.kin?.sounds[0] ?? sound

/** The frames of a sound from `start` up to `end`, as a sound of their own: nothing is copied. */
export function partOfSound(sound: Sound, start: number, end: number): Sound {
  const { lies, kin } = sound
  return {
    ...sound,
    frames: end - start,
    ...(kin && { kin: { ...kin, sounds: kin.sounds.map((own) => partOfSound(own, start, end)) } }),
    lies:
      'channels' in lies
        ? { channels: lies.channels.map((channel) => channel.subarray(start, end)) }
        : { blob: lies.blob, file: lies.file, from: lies.from + start },
  }
}

/**
 * The samples of a sound, for whoever is in a worker: a file is read at once, while others wait. What is kept of its
 * parts hangs on what is returned: it goes with it.
 * @param open  the bytes of a file, where they are had in another way.
 */
export function openSound(sound: Sound, open: (blob: Blob, file: string) => ByteSource = bytesOf): SoundSource {
  const { lies, sampleRate, frames, kin } = sound
  if (kin)
    return amongKin(
      kin.sounds.map((own) => openSound(own, open)),
      kin.own,
    )
  if ('channels' in lies) return soundSource({ sampleRate, channels: lies.channels })
  const wav = openPcmFile(open(lies.blob, lies.file), lies.file)
  if (!wav) throw new AppError('storage/lost', { name: lies.file })
  const source = sourceWithin(inBlocks(wav.source), lies.from, lies.from + frames)
  return { ...source, slow: true, ...(lies.levels && { levels: lies.levels }) }
}

/** what of it the types of a page lack: only workers have it */
declare const FileReaderSync: new () => { readAsArrayBuffer(blob: Blob): ArrayBuffer }

/**
 * The bytes of a blob, for whoever is in a worker.
 * @throws {AppError} `storage/lost` where they can no longer be read.
 */
export const bytesOf = (blob: Blob, file: string): ByteSource => ({
  length: blob.size,
  read(at, count) {
    const end = Math.min(blob.size, at + count)
    if (end <= at) return new Uint8Array(0)
    try {
      return new Uint8Array(new FileReaderSync().readAsArrayBuffer(blob.slice(at, end)))
    } catch (error) {
      throw new AppError('storage/lost', { name: file }, error)
    }
  },
})
