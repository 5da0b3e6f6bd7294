import { AppError, markersWithin } from '../../../core'
import {
  amongSounds,
  type DecodedSound,
  isLong,
  type JobPool,
  MOST_SAMPLES_TOGETHER,
  partOfSound,
  type Sound,
  type SoundFacts,
  samplesHeld,
} from '../../../engine'
import { contentKeys, type Source, soundKey } from '../../../session'
import { readLimit } from './readLimit'

/** A source's sound, read and ready to be heard. */
export interface LoadedSound {
  readonly decoded: DecodedSound
  readonly facts: SoundFacts
  /** of the file's bytes */
  readonly hash: string
  readonly taggedBpm: number | undefined
}

/** containers of plain samples: what lies in them can be read anywhere */
const PLAIN = ['WAV', 'AIFF', 'CAF']

const MOST_SAMPLES_HELD = 2 * 48_000 * 60 * 10

/**
 * Sounds that are open, the last used ones up to about ten minutes of stereo in memory; others are read again from the
 * browser's storage, or from the server for demo sounds. Long ones stay in their files and take none of it.
 */
export function createAudioShelf(
  pool: JobPool,
  readContent: (keys: readonly (string | undefined)[]) => Promise<Blob | undefined>,
  kinOf: (source: Source) => readonly Source[],
) {
  const held = new Map<string, Promise<LoadedSound>>()
  const sizes = new Map<string, number>()
  const urgent = new Set<Promise<LoadedSound>>()

  async function bytesOf(source: Source): Promise<Blob> {
    const blob = source.origin === 'demo' ? await fetchDemo(source) : await readContent(contentKeys(source))
    if (!blob) throw new AppError('storage/lost', { name: source.name })
    return blob
  }

  async function load(source: Source, rank: number): Promise<LoadedSound> {
    const blob = await bytesOf(source)
    return pool.run<'decode'>({ kind: 'decode', blob, file: source.file }, { rank, ...readLimit(blob, source.file) })
  }

  /** A whole sound, and with it those that were recorded together with it. */
  async function withKin(source: Source, rank: number): Promise<LoadedSound> {
    const [whole, ...all] = await Promise.all([source, ...othersOf(source)].map((one) => shelf.get(one, rank)))
    const own = whole as LoadedSound
    if (all.length === 0) return own
    const sounds = all.map(({ decoded }) => decoded.sound)
    return { ...own, decoded: { ...own.decoded, sound: amongSounds(sounds, placeIn(kinOf(source), source)) } }
  }
  /** all of kin, itself among them; none where there are no others */
  const othersOf = (source: Source) => {
    const kin = kinOf(source)
    return kin.length > 1 ? kin : []
  }

  /** The part of a sound that is worked with: the same samples, seen through a narrower window. */
  async function part(whole: LoadedSound, range: NonNullable<Source['range']>): Promise<LoadedSound> {
    const { decoded } = whole
    const sound = partOfSound(decoded.sound, range.start, range.end)
    const facts = await pool.run<'survey'>({ kind: 'survey', sound }, { rank: 0 })
    return { ...whole, decoded: { ...decoded, sound, markers: markersWithin(decoded.markers, range) }, facts }
  }
  let lastPart: { key: string; sound: Promise<LoadedSound> } | undefined

  function letGo(keep: string) {
    let samples = [...sizes.values()].reduce((sum, size) => sum + size, 0)
    for (const id of held.keys()) {
      if (samples <= MOST_SAMPLES_HELD) return
      if (id === keep || !sizes.get(id)) continue
      samples -= sizes.get(id) as number
      held.delete(id)
      sizes.delete(id)
    }
  }

  const shelf = {
    /** The bytes of a source's file. */
    bytes: bytesOf,
    /**
     * The samples of a whole file, as soon as may be, to be played with many others: nothing of them is looked at.
     * Those of a long file of plain samples stay there.
     */
    async openWhole(source: Source, rank = 0): Promise<Sound> {
      const known = await held.get(source.id)
      if (known && !staysInFile(known.decoded.container, known.decoded.sound)) return known.decoded.sound
      return openTogether(pool, await bytesOf(source), source.file, rank)
    },
    taggedTempo: async (source: Source, rank: number): Promise<number | undefined> =>
      pool.run<'taggedTempo'>({ kind: 'taggedTempo', blob: await bytesOf(source), file: source.file }, { rank }),
    /** The same of the part that is worked with. */
    async open(source: Source): Promise<Sound> {
      const kin = othersOf(source)
      const sounds = await Promise.all((kin.length > 0 ? kin : [source]).map((one) => shelf.openWhole(one)))
      const sound = kin.length > 0 ? amongSounds(sounds, placeIn(kin, source)) : (sounds[0] as Sound)
      return source.range ? partOfSound(sound, source.range.start, source.range.end) : sound
    },
    /** What a sound that was opened looks like, and what its file says of it where nobody has written that down yet. */
    async look(source: Source, sound: Sound, rank: number): Promise<{ facts: SoundFacts; whole?: LoadedSound }> {
      if (isRead(source) && !held.has(source.id))
        return { facts: await pool.run<'survey'>({ kind: 'survey', sound }, { rank }) }
      const { facts, ...rest } = await shelf.getPart(source, rank)
      return source.range ? { facts } : { facts, whole: { facts, ...rest } }
    },
    /** The part of a source that is worked with. */
    getPart(source: Source, rank = 0): Promise<LoadedSound> {
      const { range } = source
      if (!range) return withKin(source, rank)
      const key = soundKey(source)
      if (lastPart?.key !== key) {
        const sound = withKin(source, 0).then((whole) => part(whole, range))
        lastPart = { key, sound }
        sound.catch(() => {
          lastPart = undefined
        })
      }
      return lastPart.sound
    },
    /** All of a source's file. */
    get(source: Source, rank = 0): Promise<LoadedSound> {
      const known = held.get(source.id)
      if (known) {
        // last used goes last
        held.delete(source.id)
        held.set(source.id, known)
        return known
      }
      // what nobody waits for leaves the line and the workers to what somebody does
      const loading = rank > 0 ? Promise.allSettled(urgent).then(() => load(source, rank)) : load(source, rank)
      held.set(source.id, loading)
      if (rank === 0) {
        urgent.add(loading)
        const done = () => urgent.delete(loading)
        loading.then(done, done)
      }
      loading.then(
        ({ decoded }) => {
          sizes.set(source.id, samplesHeld(decoded.sound))
          letGo(source.id)
        },
        () => held.delete(source.id),
      )
      return loading
    },
    put(sourceId: string, sound: LoadedSound) {
      held.set(sourceId, Promise.resolve(sound))
      sizes.set(sourceId, samplesHeld(sound.decoded.sound))
      letGo(sourceId)
    },
  }
  return shelf
}

const placeIn = (kin: readonly Source[], { id }: Source) => kin.findIndex((one) => one.id === id)

/** Read a sound that is to be played with many others. */
export const openTogether = (pool: JobPool, blob: Blob, file: string, rank: number): Promise<Sound> =>
  pool.run<'open'>({ kind: 'open', blob, file, most: MOST_SAMPLES_TOGETHER }, { rank })

/** Whether a sound that is played with many others is read from its file. */
export const staysInFile = (container: string, size: Pick<Sound, 'frames' | 'channelCount'>): boolean =>
  PLAIN.includes(container) && isLong(size, MOST_SAMPLES_TOGETHER)

/** Whether all that its file says of a source was written down when it was read. */
export const isRead = ({ facts, origin, hash }: Source): boolean =>
  facts?.hash !== undefined && (origin === 'demo' || facts.hash === hash)

export async function fetchDemo(source: Source): Promise<Blob> {
  const missing = (cause?: unknown) => new AppError('demo/unreachable', { name: source.name }, cause)
  const response = await fetch(`/demo/${encodeURIComponent(source.file)}`).catch((error) => {
    throw missing(error)
  })
  if (!response.ok) throw missing()
  return response.blob()
}
