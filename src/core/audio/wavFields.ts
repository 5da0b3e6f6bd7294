import type { Markers } from './block'
import { concat, writerOver } from './byteWriter'
import { MADE_BY, type SoundTags } from './soundTags'

/** Chunks of a WAV file that say more of its sound. Each has an even number of bytes. */

/** Text in the one-byte letters of such files; what they have no letter for is a question mark. */
export const latin = (text: string) =>
  Array.from(text, (char) => (char.charCodeAt(0) < 256 && char.length === 1 ? char.charCodeAt(0) : 63))

function chunkOf(id: string, body: ArrayLike<number>): Uint8Array {
  const chunk = new Uint8Array(8 + body.length + (body.length & 1))
  writerOver(chunk).id(id).u32(body.length).bytes(body)
  return chunk
}

/** The chunk that players of loops read: whether it has a root, how many beats it holds, its metre and tempo. */
export const LOOP_CHUNK = 'acid'
const HAS_ROOT = 2
const CAN_STRETCH = 4
const FOUR_FOUR = { beats: 4, unit: 4 }

/**
 * @param seconds  of the whole file: as many beats as fit are said where nobody counted them.
 */
export function loopChunk(
  tempo: NonNullable<Markers['tempo']>,
  seconds: number,
  rootNote: number | undefined,
): Uint8Array {
  const { bpm, beats = (seconds * bpm) / 60, metre = FOUR_FOUR } = tempo
  const body = new Uint8Array(24)
  writerOver(body)
    .u32(CAN_STRETCH | (rootNote === undefined ? 0 : HAS_ROOT))
    .u16(rootNote ?? 60)
    .u16(0x8000)
    .u32(0)
    .u32(Math.max(1, Math.round(beats)))
    .u16(metre.unit)
    .u16(metre.beats)
  new DataView(body.buffer).setFloat32(20, bpm, true)
  return chunkOf(LOOP_CHUNK, body)
}

/** What such a chunk says, read from its body; undefined where it says no tempo. */
export function readLoopChunk(body: Uint8Array): Pick<Markers, 'tempo' | 'rootNote'> {
  if (body.length < 24) return {}
  const view = new DataView(body.buffer, body.byteOffset, body.byteLength)
  const [flags, root, beats, unit, perBar] = [
    view.getUint32(0, true),
    view.getUint16(4, true),
    view.getUint32(12, true),
    view.getUint16(16, true),
    view.getUint16(18, true),
  ]
  const bpm = view.getFloat32(20, true)
  const isSensible = bpm >= 20 && bpm <= 400
  const metre = perBar >= 1 && perBar <= 32 && [1, 2, 4, 8, 16, 32].includes(unit) ? { beats: perBar, unit } : undefined
  return {
    ...(isSensible && {
      tempo: { bpm: nearest(bpm), ...(beats > 0 && beats < 1e6 && { beats }), ...(metre && { metre }) },
    }),
    ...((flags & HAS_ROOT) !== 0 && root <= 127 && { rootNote: root }),
  }
}

/** Single precision makes 97.3 of it 97.30000305. */
const nearest = (value: number) => Number(value.toPrecision(7))

/** Title, date and maker, as texts of the file. Empty where nothing is known. */
export function textChunk({ title, date, key, recipe, bpm }: SoundTags): Uint8Array {
  if ([title, date, key, recipe, bpm].every((one) => one === undefined)) return new Uint8Array()
  const texts: [string, string | undefined][] = [
    ['INAM', title],
    ['ICRD', date],
    ['ISFT', MADE_BY],
    ['ICMT', key === undefined ? undefined : `Key: ${key}`],
  ]
  const parts = texts.flatMap(([id, text]) => (text === undefined ? [] : [chunkOf(id, [...latin(text), 0])]))
  return chunkOf('LIST', concat([Uint8Array.from(latin('INFO')), ...parts]))
}

export const RECIPE_CHUNK = 'zrec'

/** The recipe, as JSON in UTF-8. */
export const recipeChunk = (json: string) => chunkOf(RECIPE_CHUNK, utf8(json))

/**
 * Where on a timeline the sound begins, as broadcast files say it.
 * Source  EBU Tech 3285, version 1.
 */
export function stampChunk({ title = '', date }: SoundTags, startFrame: number): Uint8Array {
  const body = new Uint8Array(602)
  const put = (at: number, text: string, most: number) => body.set(latin(text).slice(0, most), at)
  put(0, title, 256)
  put(256, MADE_BY, 32)
  put(320, date ?? '', 10)
  const view = new DataView(body.buffer)
  view.setUint32(338, startFrame % 2 ** 32, true)
  view.setUint32(342, Math.floor(startFrame / 2 ** 32), true)
  view.setUint16(346, 1, true)
  return chunkOf('bext', body)
}

/** Core has no encoder of text of its own. */
function utf8(text: string): Uint8Array {
  const bytes: number[] = []
  for (const char of text) {
    const code = char.codePointAt(0) as number
    if (code < 0x80) bytes.push(code)
    else if (code < 0x800) bytes.push(0xc0 | (code >> 6), 0x80 | (code & 63))
    else if (code < 0x10000) bytes.push(0xe0 | (code >> 12), 0x80 | ((code >> 6) & 63), 0x80 | (code & 63))
    else bytes.push(0xf0 | (code >> 18), 0x80 | ((code >> 12) & 63), 0x80 | ((code >> 6) & 63), 0x80 | (code & 63))
  }
  return Uint8Array.from(bytes)
}
