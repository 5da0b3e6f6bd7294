import type { ByteSource } from '../core'
import { quietly } from './quietly'

/**
 * The tempo that a file carries in its own data (ID3, Vorbis comments, MP4), in beats a minute; undefined where it has none
 * or cannot be asked.
 */
export async function taggedTempo(bytes: ByteSource): Promise<number | undefined> {
  if (isPlainWav(bytes)) return undefined
  try {
    const { ALL_FORMATS, CustomSource, Input } = await import('mediabunny')
    const source = new CustomSource({
      getSize: () => bytes.length,
      read: (start, end) => bytes.read(start, end - start) as Uint8Array<ArrayBuffer>,
    })
    const tags = await quietly(() => new Input({ source, formats: ALL_FORMATS }).getMetadataTags())
    const raw = tags.raw ?? {}
    const written = tags.beatsPerMinute ?? raw.BPM ?? raw.TEMPO ?? raw.tmpo
    const bpm = Number(Array.isArray(written) ? written[0] : written)
    return bpm >= 40 && bpm <= 240 ? bpm : undefined
  } catch {
    // what cannot be read as tags carries no tempo; whether it can be read as sound is not asked here
    return undefined
  }
}

const PLAIN_CHUNKS = ['fmt ', 'data', 'fact', 'cue ', 'smpl', 'bext', 'acid', 'zrec', 'JUNK', 'PAD ']

/** A WAV file with nothing in it that could carry tags: then the reader of tags need not even be loaded. */
function isPlainWav(bytes: ByteSource): boolean {
  const text = (at: number) => String.fromCharCode(...bytes.read(at, 4))
  if (text(0) !== 'RIFF' || text(8) !== 'WAVE') return false
  for (let at = 12; at + 8 <= bytes.length; ) {
    const [a, b, c, d] = bytes.read(at + 4, 4) as unknown as [number, number, number, number]
    const size = a + 2 ** 8 * b + 2 ** 16 * c + 2 ** 24 * d
    const labels = text(at) === 'LIST' && text(at + 8) === 'adtl'
    if (!PLAIN_CHUNKS.includes(text(at)) && !labels) return false
    at += 8 + size + (size & 1)
  }
  return true
}
