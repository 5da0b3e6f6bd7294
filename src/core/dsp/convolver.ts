import { type ComplexArray, complexFft, joinRealPair, splitRealPair } from './fft'

/**
 * Convolves a stream with a long kernel, block by block, in parts of one size each: what a block costs depends on the
 * kernel's length alone, and no block waits for more than itself.
 */
export interface Convolver {
  readonly blockFrames: number
  /** One block in, the block of the result at the same place out; `[blockFrames]` each. They may be the same arrays. */
  next(input: readonly Float32Array[], out: readonly Float32Array[]): void
  /** Forget what came before. */
  reset(): void
}

/**
 * The spectra of a kernel's parts, to be shared by all that convolve with it. Shape: `[parts][2 × blockFrames + 2]`.
 */
export interface KernelSpectra {
  readonly blockFrames: number
  readonly taps: number
  readonly parts: readonly Float32Array[]
}

/**
 * @param kernel  the impulse response, `[taps]`.
 * @param blockFrames  a power of two; longer blocks cost less and come later.
 */
export function kernelSpectra(kernel: Float32Array, blockFrames: number): KernelSpectra {
  const size = 2 * blockFrames
  const fft = complexFft(size)
  const packed = fft.create()
  const bins = fft.create()
  const spare = new Float32Array(size + 2)
  const parts: Float32Array[] = []
  for (let at = 0; at < kernel.length; at += blockFrames) {
    packed.fill(0)
    const to = Math.min(kernel.length, at + blockFrames)
    for (let i = at; i < to; i++) packed[2 * (i - at)] = kernel[i] as number
    fft.forward(bins, packed)
    const part = new Float32Array(size + 2)
    splitRealPair(bins, size, part, spare)
    parts.push(part)
  }
  return { blockFrames, taps: kernel.length, parts }
}

/**
 * Shape   `kernels[c]` is the kernel of channel c; the same one for all is common.
 * Source  Gardner 1995, "Efficient Convolution without Input-Output Delay", parts of one size; overlap-save.
 */
export function createConvolver(kernels: readonly KernelSpectra[]): Convolver {
  const channelCount = kernels.length
  const blockFrames = kernels[0]?.blockFrames ?? 1
  const size = 2 * blockFrames
  const fft = complexFft(size)
  const packed: ComplexArray = fft.create()
  const bins: ComplexArray = fft.create()
  const partCount = Math.max(1, ...kernels.map(({ parts }) => parts.length))
  // the spectra of the last blocks, the newest at `newest`
  const past = kernels.map(() => Array.from({ length: partCount }, () => new Float32Array(size + 2)))
  const before = kernels.map(() => new Float32Array(blockFrames))
  const sums = [new Float32Array(size + 2), new Float32Array(size + 2)] as const
  const spare = new Float32Array(size + 2)
  const none = new Float32Array(blockFrames)
  let newest = 0

  function multiply(c: number, sum: Float32Array) {
    sum.fill(0)
    const own = past[c] as Float32Array[]
    ;(kernels[c] as KernelSpectra).parts.forEach((part, n) => {
      const column = own[(newest - n + partCount) % partCount] as Float32Array
      for (let i = 0; i < size + 2; i += 2) {
        const [ar, ai] = [column[i] as number, column[i + 1] as number]
        const [br, bi] = [part[i] as number, part[i + 1] as number]
        sum[i] = (sum[i] as number) + ar * br - ai * bi
        sum[i + 1] = (sum[i + 1] as number) + ar * bi + ai * br
      }
    })
  }

  return {
    blockFrames,
    reset() {
      for (const own of past) for (const column of own) column.fill(0)
      for (const own of before) own.fill(0)
    },
    next(input, out) {
      newest = (newest + 1) % partCount
      for (let c = 0; c < channelCount; c += 2) {
        const [a, b] = [input[c] as Float32Array, input[c + 1] ?? none]
        const [oldA, oldB] = [before[c] as Float32Array, before[c + 1] ?? none]
        for (let i = 0; i < blockFrames; i++) {
          packed[2 * i] = oldA[i] as number
          packed[2 * i + 1] = oldB[i] as number
          packed[size + 2 * i] = a[i] as number
          packed[size + 2 * i + 1] = b[i] as number
        }
        oldA.set(a)
        if (oldB !== none) oldB.set(b)
        fft.forward(bins, packed)
        const pastA = (past[c] as Float32Array[])[newest] as Float32Array
        const pastB = past[c + 1]?.[newest] ?? spare
        splitRealPair(bins, size, pastA, pastB)
        multiply(c, sums[0])
        if (past[c + 1]) multiply(c + 1, sums[1])
        else sums[1].fill(0)
        joinRealPair(sums[0], sums[1], size, bins)
        fft.inverse(packed, bins)
        const outA = out[c] as Float32Array
        const outB = out[c + 1]
        for (let i = 0; i < blockFrames; i++) {
          outA[i] = packed[size + 2 * i] as number
          if (outB) outB[i] = packed[size + 2 * i + 1] as number
        }
      }
    },
  }
}
