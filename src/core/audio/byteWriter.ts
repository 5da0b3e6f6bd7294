export function concat(parts: readonly Uint8Array[]): Uint8Array<ArrayBuffer> {
  const whole = new Uint8Array(parts.reduce((sum, part) => sum + part.length, 0))
  let at = 0
  for (const part of parts) {
    whole.set(part, at)
    at += part.length
  }
  return whole
}

/** Puts little-endian numbers and four-letter names into bytes, one behind another. */
export function writerOver(out: Uint8Array) {
  const view = new DataView(out.buffer, out.byteOffset, out.byteLength)
  let at = 0
  const put = {
    id(text: string) {
      for (let i = 0; i < 4; i++) out[at++] = text.charCodeAt(i)
      return put
    },
    u16(value: number) {
      view.setUint16(at, value, true)
      at += 2
      return put
    },
    u32(value: number) {
      view.setUint32(at, value, true)
      at += 4
      return put
    },
    bytes(values: ArrayLike<number>) {
      out.set(values, at)
      at += values.length
      return put
    },
  }
  return put
}
