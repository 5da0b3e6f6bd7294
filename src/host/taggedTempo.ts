import { type ByteSource, LOOP_CHUNK, RECIPE_CHUNK } from '../core'
import { openPcmFile } from './pcmFile'
import { quietly } from './quietly'

/**
 * The tempo that a file carries in its own data (ID3, Vorbis comments, MP4), in beats a minute; undefined where it has none
 * or cannot be asked.
 */
export async function taggedTempo(bytes: ByteSource): Promise<number | undefined> {
  const own = loopTempo(bytes)
  if (own !== undefined || isPlainWav(bytes)) return own
  const tags = await tagsOf(bytes)
  const raw = tags?.raw ?? {}
  const written = raw.BPM ?? (fieldsIn(raw.TXXX).BPM || undefined) ?? tags?.beatsPerMinute ?? raw.TEMPO ?? raw.tmpo
  const bpm = Number(Array.isArray(written) ? written[0] : written)
  return bpm >= 40 && bpm <= 240 ? bpm : undefined
}

/** The tempo that a WAV file says as files of loops do. */
function loopTempo(bytes: ByteSource): number | undefined {
  try {
    return openPcmFile(bytes, '')?.markers.tempo?.bpm
  } catch {
    // a file that cannot be read says nothing; whether it can be read as sound is not asked here
    return undefined
  }
}

/** What a file says of itself in fields of any name; none where it cannot be asked. */
export async function taggedFields(bytes: ByteSource): Promise<[string, string][]> {
  const raw = (await tagsOf(bytes))?.raw ?? {}
  return Object.entries({ ...fieldsIn(raw), ...fieldsIn(raw.TXXX) })
}

const fieldsIn = (value: unknown): Record<string, string> =>
  typeof value === 'object' && value !== null
    ? Object.fromEntries(
        Object.entries(value).filter((field): field is [string, string] => typeof field[1] === 'string'),
      )
    : {}

async function tagsOf(bytes: ByteSource) {
  try {
    const { ALL_FORMATS, CustomSource, Input } = await import('mediabunny')
    const source = new CustomSource({
      getSize: () => bytes.length,
      read: (start, end) => bytes.read(start, end - start) as Uint8Array<ArrayBuffer>,
    })
    return await quietly(() => new Input({ source, formats: ALL_FORMATS }).getMetadataTags())
  } catch {
    // what cannot be read as tags says nothing
    return undefined
  }
}

const PLAIN_CHUNKS = ['fmt ', 'data', 'fact', 'cue ', 'smpl', 'bext', LOOP_CHUNK, RECIPE_CHUNK, 'JUNK', 'PAD ']

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
