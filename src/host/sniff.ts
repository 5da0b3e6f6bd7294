import { AppError } from '../core'

export type Container = 'WAV' | 'AIFF' | 'CAF' | 'FLAC' | 'MP3' | 'Ogg Vorbis' | 'Ogg Opus' | 'M4A' | 'AAC' | Film
/** what may hold pictures beside its sound */
export type Film = 'MP4' | 'WebM'

const endings: Readonly<Record<Container, readonly string[]>> = {
  WAV: ['wav', 'wave', 'bwf', 'rf64', 'bw64'],
  AIFF: ['aif', 'aiff', 'aifc'],
  CAF: ['caf'],
  FLAC: ['flac'],
  MP3: ['mp3'],
  'Ogg Vorbis': ['ogg', 'oga'],
  'Ogg Opus': ['opus', 'ogg', 'oga'],
  M4A: ['m4a', 'm4b'],
  AAC: ['aac'],
  MP4: ['mp4', 'm4v', 'mov'],
  WebM: ['webm', 'mkv'],
}

/** What pickers offer. */
export const acceptedEndings: readonly string[] = [...new Set(Object.values(endings).flat())]

/**
 * Tell a sound file's kind from its first bytes, and see that its name says the same.
 * @throws {AppError} `audio/empty`, `audio/mislabelled`, `audio/not-audio`, `audio/unsupported`.
 */
export function sniff(bytes: Uint8Array, file: string): Container {
  if (bytes.length === 0) throw new AppError('audio/empty', { file })
  const ending = /\.([^./\\]+)$/.exec(file)?.[1]?.toLowerCase() ?? ''
  const named = (Object.keys(endings) as Container[]).find((kind) => endings[kind].includes(ending))
  const holds = containerOf(bytes, named)
  if (!holds) {
    if (String.fromCharCode(...bytes.subarray(0, 4)) === 'OggS')
      throw new AppError('audio/unsupported', { file, what: 'an Ogg coding that is neither Vorbis nor Opus' })
    const other = otherKind(bytes)
    if (other && named) {
      throw new AppError('audio/mislabelled', { file, named, holds: other.what, rename: other.ending })
    }
    // a name that promises a kind, and too little content to tell: the file ends before it says what it is
    if (named && bytes.length < 12)
      throw new AppError('audio/truncated', { file, missing: 'its header and all sounds' })
    throw new AppError('audio/not-audio', { file })
  }
  if (named && !endings[holds].includes(ending)) {
    throw new AppError('audio/mislabelled', { file, named, holds, rename: `.${endings[holds][0]}` })
  }
  return holds
}

/** what a movie began with before it said what it is */
const OLD_MOVIE_BOXES = ['moov', 'mdat', 'wide', 'free', 'skip']

export const isFilm = (container: Container): container is Film => container === 'MP4' || container === 'WebM'

function containerOf(bytes: Uint8Array, named: Container | undefined): Container | undefined {
  const text = (at: number, length: number) => String.fromCharCode(...bytes.subarray(at, at + length))
  const head = text(0, 4)
  if ((head === 'RIFF' || head === 'RF64' || head === 'BW64') && text(8, 4) === 'WAVE') return 'WAV'
  if (head === 'FORM' && text(8, 3) === 'AIF') return 'AIFF'
  if (head === 'caff') return 'CAF'
  if (head === 'fLaC') return 'FLAC'
  if (head === 'OggS')
    return text(28, 8) === 'OpusHead' ? 'Ogg Opus' : text(29, 6) === 'vorbis' ? 'Ogg Vorbis' : undefined
  // the same box of boxes, whether it holds pictures or not: the name says which is meant
  if (text(4, 4) === 'ftyp') return named === 'MP4' ? 'MP4' : 'M4A'
  if (named === 'MP4' && OLD_MOVIE_BOXES.includes(text(4, 4))) return 'MP4'
  if (head === '\x1aE\xdf\xa3') return 'WebM'
  if (text(0, 3) === 'ID3') {
    // a tag says nothing about what follows it: FLAC and AAC files carry it too
    const size = bytes.subarray(6, 10).reduce((sum, byte) => sum * 128 + (byte & 127), 0)
    const rest = bytes.subarray(10 + size)
    return rest.length > 4 ? containerOf(rest, named) : named === 'AAC' ? 'AAC' : 'MP3'
  }
  const sync = bytes[0] === 0xff ? (bytes[1] ?? 0) : 0
  if ((sync & 0xf6) === 0xf0) return 'AAC'
  if ((sync & 0xe0) === 0xe0 && (sync & 0x06) !== 0 && ((bytes[2] ?? 0xf0) & 0xf0) !== 0xf0) return 'MP3'
  return undefined
}

/** Kinds of file that people do hand over by mistake. */
function otherKind(bytes: Uint8Array): { what: string; ending: string } | undefined {
  const head = String.fromCharCode(...bytes.subarray(0, 8))
  if (head.startsWith('\x89PNG')) return { what: 'a PNG picture', ending: '.png' }
  if (head.startsWith('\xff\xd8\xff')) return { what: 'a JPEG picture', ending: '.jpg' }
  if (head.startsWith('%PDF')) return { what: 'a PDF document', ending: '.pdf' }
  if (head.startsWith('PK\x03\x04')) return { what: 'a zip archive', ending: '.zip' }
  if (head.startsWith('MThd')) return { what: 'MIDI notes', ending: '.mid' }
  if (head.toLowerCase().startsWith('<!doc') || head.toLowerCase().startsWith('<html'))
    return { what: 'a web page', ending: '.html' }
  return undefined
}
