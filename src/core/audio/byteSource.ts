/** Bytes that are read a part at a time, such as a long file's; a part beyond the end is cut. */
export interface ByteSource {
  readonly length: number
  read(at: number, count: number): Uint8Array
  /** As of a `SoundSource`, in bytes. */
  ahead?(at: number, count: number): number
}

/** Bytes that are all there. */
export const bytesInMemory = (bytes: Uint8Array): ByteSource => ({
  length: bytes.length,
  read: (at, count) => bytes.subarray(at, at + count),
})

/** Numbers and texts out of a file. What lies beyond its end reads as 0: a damaged header can only be wrong. */
export function createHeaderReader(bytes: ByteSource, littleEndian: boolean) {
  const view = (at: number, count: number) => {
    const whole = new Uint8Array(count)
    if (at >= 0 && at < bytes.length) whole.set(bytes.read(at, count))
    return new DataView(whole.buffer)
  }
  return {
    u16: (at: number) => view(at, 2).getUint16(0, littleEndian),
    u32: (at: number) => view(at, 4).getUint32(0, littleEndian),
    i16: (at: number) => view(at, 2).getInt16(0, littleEndian),
    /** beyond 2⁵³ not exact: no file is so long */
    u64: (at: number) => Number(view(at, 8).getBigUint64(0, littleEndian)),
    i64: (at: number) => Number(view(at, 8).getBigInt64(0, littleEndian)),
    f64: (at: number) => view(at, 8).getFloat64(0, littleEndian),
    /** an 80-bit float with its own sign, exponent and whole mantissa; @source IEEE 754 extended, Apple SANE */
    f80(at: number): number {
      const bits = view(at, 10)
      const sign = bits.getUint8(0) & 0x80 ? -1 : 1
      const exponent = bits.getUint16(0) & 0x7fff
      const mantissa = bits.getUint32(2) * 2 ** 32 + bits.getUint32(6)
      if (exponent === 0x7fff) return Number.NaN
      return sign * mantissa * 2 ** (exponent - 16_383 - 63)
    },
    /** one character each byte: ids and labels have no declared coding, and this loses none of them */
    text(at: number, count: number): string {
      let out = ''
      for (const byte of bytes.read(at, Math.max(0, Math.min(count, bytes.length - at))))
        out += String.fromCharCode(byte)
      return out
    },
  }
}

/** A chunk of a file that is made of them. */
export interface Chunk {
  readonly id: string
  /** where its content begins */
  readonly at: number
  /** as its header says */
  readonly size: number
  /** how many bytes there are from where it begins to the end of the file */
  readonly left: number
}

/** a file of more chunks than this is none that anybody wrote */
const MOST_CHUNKS = 10_000

/**
 * Chunks of a file come one after the other. A chunk that says it goes on beyond the end is the last one.
 * @param header  bytes of a chunk's own header.
 * @param sizeOf  how large a chunk really is, where its header is not to be believed.
 */
export function* chunksOf(
  bytes: ByteSource,
  from: number,
  header: 8 | 12,
  littleEndian: boolean,
  sizeOf: (chunk: Chunk) => number = ({ size }) => size,
): Generator<Chunk> {
  const { u32, i64, text } = createHeaderReader(bytes, littleEndian)
  let at = from
  for (let n = 0; n < MOST_CHUNKS && at + header <= bytes.length; n++) {
    const body = at + header
    const said: Chunk = {
      id: text(at, 4),
      at: body,
      size: header === 8 ? u32(at + 4) : i64(at + 4),
      left: bytes.length - body,
    }
    const chunk = { ...said, size: sizeOf(said) }
    yield chunk
    if (chunk.size < 0 || chunk.size > chunk.left) return
    at = body + chunk.size + (header === 8 ? chunk.size & 1 : 0)
  }
}
