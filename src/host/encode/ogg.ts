import { concat } from '../../core'

/** Pages of an Ogg stream: packets cut into pieces of 255 bytes, each page with a check sum. Source  RFC 3533. */

const FIRST = 2
const LAST = 4
const CONTINUED = 1
const MOST_PIECES = 255
const PIECE = 255
const HEADER = 27
/** a page whose last packet goes on says no time */
const NO_TIME = -1n

const table = Uint32Array.from({ length: 256 }, (_, n) => {
  let value = n << 24
  for (let bit = 0; bit < 8; bit++) value = value & 0x80000000 ? (value << 1) ^ 0x04c11db7 : value << 1
  return value >>> 0
})

function checkSum(bytes: Uint8Array): number {
  let sum = 0
  for (const byte of bytes) sum = ((sum << 8) ^ (table[((sum >>> 24) ^ byte) & 255] as number)) >>> 0
  return sum
}

/** A stream of one sound. Its packets are given with the frame at which each ends, as players count them. */
export function createOggStream(serial: number) {
  let sequence = 0

  function page(packet: Uint8Array, pieces: readonly number[], frame: bigint, flags: number): Uint8Array {
    const bytes = new Uint8Array(HEADER + pieces.length + packet.length)
    const view = new DataView(bytes.buffer)
    bytes.set([0x4f, 0x67, 0x67, 0x53, 0, flags | (sequence === 0 ? FIRST : 0)])
    view.setBigInt64(6, frame, true)
    view.setUint32(14, serial, true)
    view.setUint32(18, sequence++, true)
    bytes[26] = pieces.length
    bytes.set(pieces, HEADER)
    bytes.set(packet, HEADER + pieces.length)
    view.setUint32(22, checkSum(bytes), true)
    return bytes
  }

  return {
    /** Packets that are to lie on pages of their own, the last one ending at a frame. */
    pages(packets: readonly Uint8Array[], endFrame: number, last = false): Uint8Array<ArrayBuffer> {
      const out: Uint8Array[] = []
      let body: Uint8Array[] = []
      let pieces: number[] = []
      let continued = 0
      const flush = (frame: bigint, flags: number, goesOn: number) => {
        const whole = concat(body)
        out.push(page(whole, pieces, frame, flags | continued))
        body = []
        pieces = []
        continued = goesOn
      }
      packets.forEach((packet) => {
        for (let at = 0; at <= packet.length; at += PIECE) {
          if (pieces.length === MOST_PIECES) flush(NO_TIME, 0, at > 0 ? CONTINUED : 0)
          const piece = packet.subarray(at, at + PIECE)
          body.push(piece)
          pieces.push(piece.length)
        }
      })
      flush(BigInt(endFrame), last ? LAST : 0, 0)
      return concat(out)
    },
  }
}
