import { AppError, type DecodedFile } from '../../core'
import type { JobPool, SoundFacts } from '../../engine'
import type { Source } from './model'

/** A source's sound, read and ready to be heard. */
export interface LoadedSound {
  readonly decoded: DecodedFile
  readonly facts: SoundFacts
}

const MOST_FRAMES_HELD = 48_000 * 60 * 20

/**
 * Sounds in memory, the last used ones up to about twenty minutes of stereo; others are read again from the browser's
 * storage, or from the server for demo sounds.
 */
export function createAudioShelf(pool: JobPool, readFile: (sourceId: string) => Promise<Blob | undefined>) {
  const held = new Map<string, Promise<LoadedSound>>()
  const sizes = new Map<string, number>()

  async function load(source: Source, rank: number): Promise<LoadedSound> {
    const blob = source.origin === 'demo' ? await fetchDemo(source) : await readFile(source.id)
    if (!blob) throw new AppError('storage/lost', { name: source.name })
    return pool.run<'decode'>({ kind: 'decode', bytes: await blob.arrayBuffer(), file: source.file }, { rank })
  }

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

  return {
    get(source: Source, rank = 0): Promise<LoadedSound> {
      const known = held.get(source.id)
      if (known) {
        // last used goes last
        held.delete(source.id)
        held.set(source.id, known)
        return known
      }
      const loading = load(source, rank)
      held.set(source.id, loading)
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
}

async function fetchDemo(source: Source): Promise<Blob> {
  const missing = (cause?: unknown) => new AppError('demo/unreachable', { name: source.name }, cause)
  const response = await fetch(`/demo/${encodeURIComponent(source.file)}`).catch((error) => {
    throw missing(error)
  })
  if (!response.ok) throw missing()
  return response.blob()
}
