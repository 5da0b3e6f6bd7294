import { moduleBase64 } from './module.generated'

/** What of WebAssembly is used here: core knows neither a page's types nor Node's. */
declare const WebAssembly:
  | {
      Module: new (bytes: Uint8Array) => object
      Instance: new (module: object) => { readonly exports: unknown }
      validate(bytes: Uint8Array): boolean
    }
  | undefined

/** What the module offers; addresses and lengths are in bytes. Sources: /kernels. */
interface Exports {
  readonly memory: { readonly buffer: ArrayBuffer }
  packPair(a: number, b: number, window: number, to: number, n: number): void
  pairSquared(from: number, to: number, n: number): void
  pairPower(from: number, to: number, n: number): void
  pairCross(from: number, left: number, right: number, re: number, im: number, n: number): void
  packPlain(a: number, b: number, to: number, n: number): void
  pairProduct(from: number, to: number, n: number): void
  likest(correlation: number, region: number, length: number, lags: number, found: number): number
  readPositions(
    rows: number,
    taps: number,
    phases: number,
    a: number,
    b: number,
    positions: number,
    count: number,
    outA: number,
    outB: number,
    hair: number,
  ): void
  silenceFaint(from: number, frames: number): void
  windowsOf(
    rows: number,
    stride: number,
    columns: number,
    program: number,
    places: number,
    out: number,
    outStride: number,
  ): void
  windowsAlong(
    row: number,
    segment: number,
    reached: number,
    group: number,
    program: number,
    places: number,
    laid: number,
    found: number,
    out: number,
  ): void
  splitPair(from: number, a: number, b: number, n: number): void
  turnBack(from: number, now: number, to: number, power: number, n: number): void
  addPower(column: number, power: number, n: number): void
  lockPhases(
    now: number,
    before: number,
    out: number,
    stride: number,
    channels: number,
    power: number,
    powerBefore: number,
    peaks: number,
    turns: number,
    bins: number,
    lifted: number,
  ): void
  markClear(
    power: number,
    logs: number,
    clear: number,
    before: number,
    stride: number,
    channels: number,
    bins: number,
    needed: number,
  ): number
  noiseLevels(
    a: number,
    b: number,
    clear: number,
    sums: number,
    counts: number,
    shares: number,
    levels: number,
    bins: number,
  ): void
  turnHaze(
    a: number,
    b: number,
    clear: number,
    levels: number,
    draws: number,
    hash: number,
    shift: number,
    fresh: number,
    outA: number,
    outB: number,
    bins: number,
  ): void
  learn(forward: number, back: number, count: number, order: number, out: number, room: number): number
  slidingProducts(own: number, other: number, count: number, out: number, lags: number): void
  joinPair(a: number, b: number, to: number, n: number): void
  layPair(from: number, window: number, a: number, b: number, n: number, scale: number): void
  fft(from: number, to: number, work: number, twiddles: number, n: number, scale: number, inverse: number): void
}

/** The kernels of this thread, with their memory. It never grows, so views on it stay. */
export interface Kernels extends Exports {
  readonly floats: Float32Array
  readonly doubles: Float64Array
  /** Room that is never given back, on a 16-byte border; undefined when there is none left. */
  take(bytes: number): number | undefined
}

/** the module's own data end far below this */
const FIRST_FREE = 65_536

let loaded: Kernels | 'none' | undefined
let off = false

/** The kernels, or undefined where this engine has no WebAssembly with SIMD: then their twins do the work. */
export function kernels(): Kernels | undefined {
  if (off) return undefined
  loaded ??= load()
  return loaded === 'none' ? undefined : loaded
}

/** For tests and tables: leave the work to the twins, or no longer, for all that is opened from now on. */
export function withoutKernels(without: boolean): void {
  off = without
}

/** Whether this engine can run the kernels; without them all is the same but slow. Compiles nothing. */
export function kernelsRun(): boolean {
  try {
    const engine = typeof WebAssembly === 'undefined' ? undefined : WebAssembly
    return engine?.validate(decode(moduleBase64)) ?? false
  } catch {
    return false
  }
}

function load(): Kernels | 'none' {
  if (typeof WebAssembly === 'undefined') return 'none'
  try {
    const { exports } = new WebAssembly.Instance(new WebAssembly.Module(decode(moduleBase64)))
    const own = exports as Exports
    const floats = new Float32Array(own.memory.buffer)
    let free = FIRST_FREE
    return {
      ...own,
      floats,
      doubles: new Float64Array(own.memory.buffer),
      take(bytes) {
        const at = free
        if (at + bytes > own.memory.buffer.byteLength) return undefined
        free = Math.ceil((at + bytes) / 16) * 16
        return at
      },
    }
  } catch {
    // no SIMD, or a page that may not compile
    return 'none'
  }
}

/** Base64, which not every thread can read by itself. */
function decode(text: string): Uint8Array {
  const digits = 'ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/'
  const plain = text.replace(/=+$/, '')
  const bytes = new Uint8Array(Math.floor((plain.length * 3) / 4))
  let bits = 0
  let value = 0
  let n = 0
  for (const digit of plain) {
    value = ((value << 6) | digits.indexOf(digit)) & 0xffffff
    bits += 6
    if (bits >= 8) {
      bits -= 8
      bytes[n++] = (value >> bits) & 255
    }
  }
  return bytes
}
