import { AppError, type DecodedFile, type Markers } from '../../core'
import type { JobPool, SoundFacts } from '../../engine'
import { type Source, soundKey } from './model'

/** A source's sound, read and ready to be heard. */
export interface LoadedSound {
  readonly decoded: DecodedFile
  readonly facts: SoundFacts
  /** of the file's bytes */
  readonly hash: string
  readonly taggedBpm: number | undefined
}

const MOST_FRAMES_HELD = 48_000 * 60 * 20

/**
 * Sounds in memory, the last used ones up to about twenty minutes of stereo; others are read again from the browser's
 * storage, or from the server for demo sounds.
 */
export function createAudioShelf(pool: JobPool, readFile: (sourceId: string) => Promise<Blob | undefined>) {
  const held = new Map<string, Promise<LoadedSound>>()
  const sizes = new Map<string, number>()
  const urgent = new Set<Promise<LoadedSound>>()

  async function load(source: Source, rank: number): Promise<LoadedSound> {
    const blob = source.origin === 'demo' ? await fetchDemo(source) : await readFile(source.id)
    if (!blob) throw new AppError('storage/lost', { name: source.name })
    return pool.run<'decode'>({ kind: 'decode', blob, file: source.file }, { rank })
  }

  /** The part of a sound that is worked with: the same samples, seen through a narrower window. */
  async function part(whole: LoadedSound, range: NonNullable<Source['range']>): Promise<LoadedSound> {
    const { decoded } = whole
    const audio = {
      sampleRate: decoded.audio.sampleRate,
      channels: decoded.audio.channels.map((channel) => channel.subarray(range.start, range.end)),
    }
    const facts = await pool.run<'survey'>({ kind: 'survey', audio }, { rank: 0 })
    return { ...whole, decoded: { ...decoded, audio, markers: markersWithin(decoded.markers, range) }, facts }
  }
  let lastPart: { key: string; sound: Promise<LoadedSound> } | undefined

  function letGo(keep: string) {
    let frames = [...sizes.values()].reduce((sum, size) => sum + size, 0)
    for (const id of held.keys()) {
      if (frames <= MOST_FRAMES_HELD) return
      if (id === keep || !sizes.has(id)) continue
      frames -= sizes.get(id) as number
      held.delete(id)
      sizes.delete(id)
    }
  }

  const shelf = {
    /** The part of a source that is worked with. */
    getPart(source: Source): Promise<LoadedSound> {
      const { range } = source
      if (!range) return shelf.get(source)
      const key = soundKey(source)
      if (lastPart?.key !== key) {
        const sound = shelf.get(source).then((whole) => part(whole, range))
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
        ({ facts }) => {
          sizes.set(source.id, facts.frames)
          letGo(source.id)
        },
        () => held.delete(source.id),
      )
      return loading
    },
    put(sourceId: string, sound: LoadedSound) {
      held.set(sourceId, Promise.resolve(sound))
      sizes.set(sourceId, sound.facts.frames)
      letGo(sourceId)
    },
  }
  return shelf
}

function markersWithin(markers: Markers, { start, end }: { start: number; end: number }): Markers {
  const inside = (frame: number) => frame >= start && frame <= end
  return {
    ...markers,
    cues: markers.cues.filter((cue) => inside(cue.frame)).map((cue) => ({ ...cue, frame: cue.frame - start })),
    loops: markers.loops
      .filter((loop) => inside(loop.startFrame) && inside(loop.endFrame))
      .map((loop) => ({ ...loop, startFrame: loop.startFrame - start, endFrame: loop.endFrame - start })),
  }
}

async function fetchDemo(source: Source): Promise<Blob> {
  const missing = (cause?: unknown) => new AppError('demo/unreachable', { name: source.name }, cause)
  const response = await fetch(`/demo/${encodeURIComponent(source.file)}`).catch((error) => {
    throw missing(error)
  })
  if (!response.ok) throw missing()
  return response.blob()
}
