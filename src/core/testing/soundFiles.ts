/** Sound files of plain samples, made by the letter of each format: for tests and the fuzzer. */

export type Coding = 'u8' | 's8' | '16' | '24' | '32' | '24in32' | '32f' | '64f' | 'µ' | 'A'

const BYTES: Readonly<Record<Coding, number>> = {
  u8: 1,
  s8: 1,
  '16': 2,
  '24': 3,
  '32': 4,
  '24in32': 4,
  '32f': 4,
  '64f': 8,
  µ: 1,
  A: 1,
}
const BITS = (coding: Coding) => (coding === '24in32' ? 24 : 8 * BYTES[coding])

/** Channels of one sound, −1 to 1; for the laws the codes themselves are given, 0–255. */
export type Samples = readonly (readonly number[])[]

/** Bytes of numbers and texts, put together. */
export function joined(...parts: readonly (Uint8Array | readonly number[] | string)[]): Uint8Array<ArrayBuffer> {
  const bytes = parts.map((part) =>
    typeof part === 'string' ? Uint8Array.from(part, (letter) => letter.charCodeAt(0)) : Uint8Array.from(part),
  )
  const out = new Uint8Array(bytes.reduce((sum, part) => sum + part.length, 0))
  let at = 0
  for (const part of bytes) {
    out.set(part, at)
    at += part.length
  }
  return out
}

const numberBytes = (size: number, put: (view: DataView) => void) => {
  const bytes = new Uint8Array(size)
  put(new DataView(bytes.buffer))
  return bytes
}
export const u16 = (value: number, little: boolean) => numberBytes(2, (view) => view.setUint16(0, value, little))
export const u32 = (value: number, little: boolean) => numberBytes(4, (view) => view.setUint32(0, value, little))
export const i64 = (value: number) => numberBytes(8, (view) => view.setBigInt64(0, BigInt(value)))
export const f64 = (value: number) => numberBytes(8, (view) => view.setFloat64(0, value))

/** An 80-bit float, for rates up to 2³¹ and their fractions. */
export function f80(value: number): Uint8Array {
  const exponent = Math.floor(Math.log2(value))
  const mantissa = BigInt(Math.round((value / 2 ** exponent) * 2 ** 52)) << 11n
  return numberBytes(10, (view) => {
    view.setUint16(0, exponent + 16_383)
    view.setBigUint64(2, mantissa)
  })
}

/** Interleaved samples. */
function soundBytes(samples: Samples, coding: Coding, little: boolean): Uint8Array {
  const size = BYTES[coding]
  const frames = samples[0]?.length ?? 0
  const bytes = new Uint8Array(frames * samples.length * size)
  const view = new DataView(bytes.buffer)
  let at = 0
  for (let frame = 0; frame < frames; frame++) {
    for (const channel of samples) {
      const value = channel[frame] as number
      if (coding === '32f') view.setFloat32(at, value, little)
      else if (coding === '64f') view.setFloat64(at, value, little)
      else if (coding === 'µ' || coding === 'A') bytes[at] = value
      else if (coding === 'u8') bytes[at] = Math.round(value * 128) + 128
      else if (coding === 's8') view.setInt8(at, Math.round(value * 128))
      else if (coding === '16') view.setInt16(at, Math.round(value * 2 ** 15), little)
      else if (coding === '32') view.setInt32(at, Math.round(value * 2 ** 31), little)
      else if (coding === '24in32') view.setInt32(at, Math.round(value * 2 ** 23) * 256, little)
      else {
        const whole = Math.round(value * 2 ** 23)
        const three = [whole & 255, (whole >> 8) & 255, (whole >> 16) & 255]
        bytes.set(little ? three : three.reverse(), at)
      }
      at += size
    }
  }
  return bytes
}

const evened = (bytes: Uint8Array) => (bytes.length % 2 ? joined(bytes, [0]) : bytes)

export interface WavOptions {
  readonly rate?: number
  readonly riff?: 'RIFF' | 'RF64' | 'BW64'
  readonly extensible?: boolean
  /** between the format and the sound, and behind the sound */
  readonly before?: Uint8Array
  readonly behind?: Uint8Array
  /** in place of what is right */
  readonly blockAlign?: number
  readonly dataSize?: number
}

export const chunk = (id: string, body: Uint8Array, little = true) => joined(id, u32(body.length, little), evened(body))

export function wavFile(samples: Samples, coding: Coding, options: WavOptions = {}): Uint8Array<ArrayBuffer> {
  const { rate = 44_100, riff = 'RIFF', extensible = false } = options
  const tag = coding === '32f' || coding === '64f' ? 3 : coding === 'A' ? 6 : coding === 'µ' ? 7 : 1
  const align = options.blockAlign ?? BYTES[coding] * samples.length
  const base = joined(
    u16(extensible ? 0xfffe : tag, true),
    u16(samples.length, true),
    u32(rate, true),
    u32(rate * align, true),
    u16(align, true),
    u16(BITS(coding), true),
  )
  const fmt = extensible
    ? joined(base, u16(22, true), u16(BITS(coding), true), u32(0, true), u16(tag, true), new Uint8Array(14))
    : base
  const sound = soundBytes(samples, coding, true)
  const long = riff !== 'RIFF'
  const ds64 = long
    ? chunk('ds64', joined(i64(0).reverse(), i64(sound.length).reverse(), i64(0).reverse(), u32(0, true)))
    : []
  const data = joined('data', u32(options.dataSize ?? (long ? 0xffffffff : sound.length), true), evened(sound))
  const body = joined('WAVE', ds64, chunk('fmt ', fmt), options.before ?? [], data, options.behind ?? [])
  return joined(riff, u32(long ? 0xffffffff : body.length, true), body)
}

export interface AiffOptions {
  readonly rate?: number
  /** AIFC's name of the coding; plain AIFF without */
  readonly packing?: string
  readonly frames?: number
  readonly behind?: Uint8Array
}

export function aiffFile(samples: Samples, coding: Coding, options: AiffOptions = {}): Uint8Array<ArrayBuffer> {
  const { rate = 44_100, packing } = options
  const frames = options.frames ?? samples[0]?.length ?? 0
  const common = joined(
    u16(samples.length, false),
    u32(frames, false),
    u16(BITS(coding), false),
    f80(rate),
    packing ? joined(packing, [0, 0]) : [],
  )
  const sound = joined(u32(0, false), u32(0, false), soundBytes(samples, coding, packing === 'sowt'))
  const body = joined(
    packing ? 'AIFC' : 'AIFF',
    chunk('COMM', common, false),
    chunk('SSND', sound, false),
    options.behind ?? [],
  )
  return joined('FORM', u32(body.length, false), body)
}

export interface CafOptions {
  readonly rate?: number
  readonly little?: boolean
  /** the sound chunk says that it goes to the end */
  readonly open?: boolean
  readonly before?: Uint8Array
}

const cafChunk = (id: string, body: Uint8Array, size = body.length) => joined(id, i64(size), body)

export function cafFile(samples: Samples, coding: Coding, options: CafOptions = {}): Uint8Array<ArrayBuffer> {
  const { rate = 44_100, little = false, open = false } = options
  const float = coding === '32f' || coding === '64f'
  const format = coding === 'µ' ? 'ulaw' : coding === 'A' ? 'alaw' : 'lpcm'
  const description = joined(
    f64(rate),
    format,
    u32((float ? 1 : 0) | (little ? 2 : 0), false),
    u32(BYTES[coding] * samples.length, false),
    u32(1, false),
    u32(samples.length, false),
    u32(BITS(coding), false),
  )
  const sound = joined(u32(0, false), soundBytes(samples, coding, little))
  return joined(
    'caff',
    u16(1, false),
    u16(0, false),
    cafChunk('desc', description),
    options.before ?? [],
    cafChunk('data', sound, open ? -1 : sound.length),
  )
}

/** A CAF chunk of marks at these frames. */
export const cafMarks = (frames: readonly number[]) =>
  cafChunk(
    'mark',
    joined(
      u32(0, false),
      u32(frames.length, false),
      ...frames.map((frame) => joined(u32(0, false), f64(frame), u32(0, false), new Uint8Array(8), u32(0, false))),
    ),
  )
