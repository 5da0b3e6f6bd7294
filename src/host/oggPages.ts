/** What the pages of an Ogg file say of its sound. */
export interface OggPages {
  /** where its first stream ends, in frames of the codec, as far as it is there; undefined where no page says so */
  readonly lastFrame: number | undefined
  /** whether the last page is there, and whole */
  readonly ended: boolean
  /** pages whose bytes do not fit their checksum, and pages that are missing between others */
  readonly damaged: number
  readonly pages: number
}

const HEADER = 27

/** The polynomial of Ogg's checksum; @source RFC 3533, section 6. */
const CRC = Uint32Array.from({ length: 256 }, (_, byte) => {
  let crc = byte << 24
  for (let bit = 0; bit < 8; bit++) crc = crc & 0x80000000 ? (crc << 1) ^ 0x04c11db7 : crc << 1
  return crc >>> 0
})

/** Go through the pages of a file: decoders pass over what is broken without a word. */
export function oggPages(bytes: Uint8Array): OggPages {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength)
  let serial: number | undefined
  let next: number | undefined
  let lastFrame: number | undefined
  let ended = false
  let damaged = 0
  let pages = 0
  for (let at = 0; at + HEADER <= bytes.length; ) {
    if (view.getUint32(at) !== 0x4f676753) {
      at++
      continue
    }
    const segments = bytes[at + 26] as number
    let size = HEADER + segments
    for (let n = 0; n < segments; n++) size += bytes[at + HEADER + n] ?? 0
    const whole = at + size <= bytes.length && crcOf(bytes, at, size) === view.getUint32(at + 22, true)
    if (!whole) {
      // what looks like a page and is none, or is cut off: the next mark tells
      damaged++
      at += 4
      continue
    }
    const own = view.getUint32(at + 14, true)
    serial ??= own
    if (own === serial) {
      const number = view.getUint32(at + 18, true)
      if (next !== undefined && number > next) damaged += number - next
      next = number + 1
      pages++
      const frame = view.getBigInt64(at + 6, true)
      if (frame >= 0n) lastFrame = Number(frame)
      ended = ((bytes[at + 5] as number) & 4) !== 0
    }
    at += size
  }
  return { lastFrame, ended, damaged, pages }
}

function crcOf(bytes: Uint8Array, from: number, size: number): number {
  let crc = 0
  for (let n = 0; n < size; n++) {
    const byte = n >= 22 && n < 26 ? 0 : (bytes[from + n] as number)
    crc = ((crc << 8) ^ (CRC[((crc >>> 24) ^ byte) & 255] as number)) >>> 0
  }
  return crc
}
