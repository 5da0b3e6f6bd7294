import type { ByteSource } from '../core'

/** places that lead to the fields of any name */
const PATH = ['moov', 'udta', 'meta', 'ilst'] as const
/** more than this is no index but a mistake in a length */
const MOST_BYTES = 2 ** 26

interface Box {
  readonly type: string
  readonly start: number
  readonly end: number
}

/**
 * The fields of any name that an MP4 file carries; none where it has no such place or is broken there.
 * Source  ISO/IEC 14496-12, section 4.2; items named `----` hold a `name` and a `data` box.
 */
export function mp4Fields(bytes: ByteSource): [string, string][] {
  let [from, to] = [0, bytes.length]
  for (const type of PATH) {
    const found = boxesIn(bytes, from, to).find((box) => box.type === type)
    if (!found)
      return []
      // `meta` begins with a version and flags
    ;[from, to] = [found.start + (type === 'meta' ? 4 : 0), found.end]
  }
  if (to - from > MOST_BYTES) return []
  return boxesIn(bytes, from, to)
    .filter(({ type }) => type === '----')
    .flatMap(({ start, end }) => {
      const parts = boxesIn(bytes, start, end)
      const text = (type: string, skip: number) => {
        const part = parts.find((box) => box.type === type)
        return (
          part && new TextDecoder().decode(bytes.read(part.start + skip, Math.max(0, part.end - part.start - skip)))
        )
      }
      const [name, value] = [text('name', 4), text('data', 8)]
      return name && value !== undefined ? [[name, value] as [string, string]] : []
    })
}

function boxesIn(bytes: ByteSource, from: number, to: number): Box[] {
  const boxes: Box[] = []
  for (let at = from; at + 8 <= to; ) {
    const head = bytes.read(at, Math.min(16, to - at))
    const view = new DataView(head.buffer, head.byteOffset, head.byteLength)
    const short = view.getUint32(0)
    // 1 says that the length follows in 64 bits, 0 that it goes on to the end
    const isLong = short === 1 && head.length === 16
    const length = isLong ? Number(view.getBigUint64(8)) : short === 0 ? to - at : short
    const start = at + (isLong ? 16 : 8)
    const end = at + length
    if (end < start || end > to) break
    boxes.push({ type: String.fromCharCode(...head.subarray(4, 8)), start, end })
    at = end
  }
  return boxes
}

/** How many frames to leave out at the start, and how many there are then. */
export interface Gap {
  readonly delay: number
  readonly frames: number
}

/** What a file's field for players without gaps says; undefined where it says nothing that can be. */
export function gapOf(fields: readonly (readonly [string, string])[]): Gap | undefined {
  const value = fields.find(([name]) => name === 'iTunSMPB')?.[1]
  const [delay, , frames] = (value ?? '')
    .trim()
    .split(/\s+/)
    .slice(1)
    .map((word) => Number.parseInt(word, 16))
  return delay !== undefined && frames !== undefined && delay >= 0 && frames > 0 ? { delay, frames } : undefined
}
