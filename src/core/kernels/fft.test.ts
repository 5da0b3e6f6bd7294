import { afterEach, describe, expect, it, vi } from 'vitest'
import { complexFft } from '../dsp/fft'
import { createRandom, gaussian } from '../dsp/random'
import { apartDb } from '../testing/apart'
import { fftKernel, fftTwin, type Transform } from './fft'
import { kernels, kernelsRun, withoutKernels } from './wasm'

const SIZES = [16, 32, 64, 512, 2048, 8192, 1 << 17]

function both(size: number, input: Float32Array, way: keyof Transform) {
  const kernel = new Float32Array(2 * size)
  const twin = new Float32Array(2 * size)
  ;(fftKernel(size) as Transform)[way](kernel, input)
  fftTwin(size)[way](twin, input)
  return { kernel, twin }
}

const noise = (size: number, level: number) => {
  const random = createRandom(size)
  return Float32Array.from({ length: 2 * size }, () => level * gaussian(random))
}

afterEach(() => withoutKernels(false))

describe('the transform kernel', () => {
  it('agrees with its twin to −130 dB both ways, in every size', () => {
    for (const size of SIZES) {
      for (const way of ['forward', 'inverse'] as const) {
        const { kernel, twin } = both(size, noise(size, 0.3), way)
        expect(apartDb([kernel], [twin])).toBeLessThan(-130)
      }
    }
  })

  it('agrees on what is very loud, very faint, constant, a lone sample, or a full-scale square', () => {
    const size = 1024
    const inputs = [
      noise(size, 1e4),
      noise(size, 1e-10),
      noise(size, 1e-21),
      new Float32Array(2 * size).fill(1),
      new Float32Array(2 * size).fill(0, 1).fill(1, 6, 7),
      Float32Array.from({ length: 2 * size }, (_, i) => (i % 64 < 32 ? 1 : -1)),
    ]
    for (const input of inputs) {
      for (const way of ['forward', 'inverse'] as const) {
        const { kernel, twin } = both(size, input, way)
        expect(apartDb([kernel], [twin])).toBeLessThan(-125)
      }
    }
  })

  it('takes what is too faint for its precision for silence', () => {
    for (const input of [noise(256, 1e-38), new Float32Array(512)]) {
      expect(both(256, input, 'forward').kernel.every((value) => value === 0)).toBe(true)
    }
  })

  it('leaves its input as it is, and gives the same again', () => {
    const input = noise(512, 0.5)
    const before = input.slice()
    const { kernel } = both(512, input, 'forward')
    both(64, noise(64, 1), 'forward')
    expect(input).toEqual(before)
    expect(both(512, input, 'forward').kernel).toEqual(kernel)
  })

  it('is not asked for sizes that it has no room or no use for', () => {
    for (const size of [2, 8, 1 << 18]) expect(fftKernel(size)).toBeUndefined()
  })

  it('can be left out: then the twin does the work', () => {
    const input = noise(2048, 0.3)
    const way = () => {
      const fft = complexFft(2048)
      const out = fft.create()
      fft.forward(out, input)
      return out
    }
    const fast = way()
    const { twin } = both(2048, input, 'forward')
    withoutKernels(true)
    expect(kernels()).toBeUndefined()
    const plain = way()
    expect(plain).toEqual(twin)
    expect(apartDb([fast], [plain])).toBeLessThan(-130)
    expect(apartDb([fast], [plain])).toBeGreaterThan(Number.NEGATIVE_INFINITY)
  })

  it('is missed where there is no WebAssembly, or none with SIMD', () => {
    expect(kernelsRun()).toBe(true)
    vi.stubGlobal('WebAssembly', { validate: () => false })
    expect(kernelsRun()).toBe(false)
    vi.stubGlobal('WebAssembly', undefined)
    expect(kernelsRun()).toBe(false)
    vi.unstubAllGlobals()
  })
})
