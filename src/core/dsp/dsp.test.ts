import { describe, expect, it } from 'vitest'
import { fitTone } from '../testing/tone'
import { complexFft, joinRealPair, splitRealPair } from './fft'
import { createRandom, drawAt, gaussian } from './random'
import { createSincReader } from './sinc'
import { amplitudeToDb, dbToAmplitude, nearestPowerOfTwo, ratioToSemitones, semitonesToRatio } from './units'
import { hann, kaiser } from './window'

describe('complexFft', () => {
  it('is undone by its inverse', () => {
    const random = createRandom(5)
    for (const size of [2, 64, 2048]) {
      const fft = complexFft(size)
      const input = fft.create().map(() => random() - 0.5)
      const spectrum = fft.create()
      const back = fft.create()
      fft.forward(spectrum, input)
      fft.inverse(back, spectrum)
      for (let i = 0; i < 2 * size; i++) expect(back[i]).toBeCloseTo(input[i] as number, 5)
    }
  })

  it('carries two real signals at once', () => {
    const size = 32
    const fft = complexFft(size)
    const random = createRandom(9)
    const a = Array.from({ length: size }, () => random())
    const b = Array.from({ length: size }, () => random())
    const packed = fft.create()
    const spectrum = fft.create()
    for (let i = 0; i < size; i++) {
      packed[2 * i] = a[i] as number
      packed[2 * i + 1] = b[i] as number
    }
    fft.forward(spectrum, packed)
    const A = new Float32Array(size + 2)
    const B = new Float32Array(size + 2)
    splitRealPair(spectrum, size, A, B)
    for (const k of [0, 1, 7, 16]) {
      let re = 0
      let im = 0
      for (let i = 0; i < size; i++) {
        re += (b[i] as number) * Math.cos((2 * Math.PI * k * i) / size)
        im -= (b[i] as number) * Math.sin((2 * Math.PI * k * i) / size)
      }
      expect(B[2 * k]).toBeCloseTo(re, 5)
      expect(B[2 * k + 1]).toBeCloseTo(im, 5)
    }
    joinRealPair(A, B, size, packed)
    for (let i = 0; i < 2 * size; i++) expect(packed[i]).toBeCloseTo(spectrum[i] as number, 5)
  })

  it('takes powers of two only', () => {
    expect(() => complexFft(12)).toThrow(RangeError)
  })
})

describe('createSincReader', () => {
  it('reads a speed of small whole numbers from weights that it keeps, and gets what it gets elsewhere', () => {
    const random = createRandom(32)
    const channels = [0, 1, 2].map(() => Float32Array.from({ length: 300 }, () => random() - 0.5))
    const kept = createSincReader(96, 0.8)
    // at or below 1 all speeds share one kernel; this one falls on no step
    const blended = createSincReader(96, Math.SQRT1_2)
    const a = channels.map(() => new Float32Array(400))
    const b = channels.map(() => new Float32Array(400))
    for (let n = 0; n < 400; n++) {
      const position = -10 + n * 0.8
      kept.readInto(channels, position, a, n)
      blended.readInto(channels, position, b, n)
    }
    for (const c of [0, 1, 2]) {
      a[c]?.forEach((value, n) => {
        expect(value).toBeCloseTo(b[c]?.[n] as number, 5)
      })
    }
  })

  it('reads many positions as it reads them one by one, to −110 dB, ends, odd channels and wide kernels and all', () => {
    const random = createRandom(31)
    for (const [channelCount, width, speed] of [
      [1, 40, 1],
      [2, 96, 1],
      [3, 64, 0.37],
      [2, 64, 1.7],
      [2, 50, 7.9],
      [1, 192, 12],
    ] as const) {
      const channels = Array.from({ length: channelCount }, () =>
        Float32Array.from({ length: 60_000 }, () => random() - 0.5),
      )
      const reader = createSincReader(width, speed)
      const count = 3000
      // over both ends, and at a stroll in between; all in more than one go
      const positions = Float64Array.from({ length: count }, (_, n) =>
        n < 1000 ? n * speed - 200 : 58_000 + (n - 1000) * speed * 1.0001,
      )
      const many = channels.map(() => new Float32Array(count + 5))
      const single = channels.map(() => new Float32Array(count + 5))
      reader.readManyInto(channels, positions, count, many, 5)
      positions.forEach((position, n) => {
        reader.readInto(channels, position, single, n + 5)
      })
      many.forEach((channel, c) => {
        channel.forEach((value, n) => {
          expect(Math.abs(value - (single[c]?.[n] as number))).toBeLessThan(3e-6)
        })
      })
    }
  })

  it('reads what is no number as silence, many at a time', () => {
    const random = createRandom(5)
    const clean = Float32Array.from({ length: 400 }, (_, i) => (i % 50 === 20 ? 0 : random() - 0.5))
    const damaged = clean.map((value, i) => (i % 50 === 20 ? Number.NaN : value))
    const positions = Float64Array.from({ length: 300 }, (_, n) => 10 + 1.2 * n)
    const reader = createSincReader(32, 1.2)
    const [got, wanted] = [[new Float32Array(300)], [new Float32Array(300)]]
    reader.readManyInto([damaged], positions, 300, got, 0)
    reader.readManyInto([clean], positions, 300, wanted, 0)
    expect(got).toEqual(wanted)
  })

  it('keeps more tables apart than it has room for', () => {
    const random = createRandom(33)
    const channels = [Float32Array.from({ length: 4000 }, () => random() - 0.5)]
    const readers = Array.from({ length: 14 }, (_, n) => createSincReader(32 + 2 * n, 1 + n / 10))
    const positions = Float64Array.from({ length: 50 }, (_, n) => 1000 + n * 3.3)
    for (let round = 0; round < 2; round++) {
      for (const reader of readers) {
        const many = [new Float32Array(50)]
        const single = [new Float32Array(50)]
        reader.readManyInto(channels, positions, 50, many, 0)
        for (let n = 0; n < 50; n++) reader.readInto(channels, positions[n] as number, single, n)
        many[0]?.forEach((value, n) => {
          expect(value).toBeCloseTo(single[0]?.[n] as number, 5)
        })
      }
    }
  })

  it('reads a tone between its samples to −105 dB', () => {
    const rate = 48_000
    const source = Float32Array.from({ length: 12_000 }, (_, i) => 0.5 * Math.sin((2 * Math.PI * 3000 * i) / rate))
    for (const speed of [0.37, 1, 1.7, 3.2]) {
      const reader = createSincReader(96, speed)
      const out = new Float32Array(Math.floor(9000 / speed))
      for (let i = 0; i < out.length; i++) reader.readInto([source], 1000 + i * speed, [out], i)
      const tone = fitTone(out.subarray(0, 4000), rate, 3000 * speed)
      expect(tone.residualDb, `speed ${speed}`).toBeLessThan(-105)
      expect(tone.amplitude).toBeCloseTo(0.5, 4)
    }
  })

  it('reads one, two and three channels alike, and silence beyond the ends', () => {
    const random = createRandom(3)
    const channels = [0, 1, 2].map(() => Float32Array.from({ length: 400 }, () => random() - 0.5))
    const reader = createSincReader(32, 1.3)
    const at = (list: Float32Array[], position: number) => {
      const out = list.map(() => new Float32Array(1))
      reader.readInto(list, position, out, 0)
      return out.map((o) => o[0] as number)
    }
    for (const position of [-3.2, 5.5, 200.25, 399.9]) {
      const together = at(channels, position)
      channels.forEach((channel, c) => {
        expect(together[c]).toBeCloseTo(at([channel], position)[0] as number, 6)
      })
    }
    expect(at(channels, -500)).toEqual([0, 0, 0])
  })

  it('passes a constant unchanged at any place and speed', () => {
    const source = new Float32Array(3000).fill(0.7)
    for (const speed of [0.5, 1, 2.7]) {
      const reader = createSincReader(64, speed, 94)
      const out = new Float32Array(1)
      for (let p = 1000; p < 1002; p += 0.0931) {
        reader.readInto([source], p, [out], 0)
        expect(out[0]).toBeCloseTo(0.7, 6)
      }
    }
  })

  it('refuses widths and speeds that make no kernel', () => {
    expect(() => createSincReader(4, 1)).toThrow(RangeError)
    expect(() => createSincReader(96, Number.NaN)).toThrow(RangeError)
  })
})

describe('random draws', () => {
  it('repeat for a seed and spread evenly', () => {
    const a = createRandom(77)
    const b = createRandom(77)
    const bins = new Array(10).fill(0)
    for (let i = 0; i < 20_000; i++) {
      const x = a()
      expect(x).toBe(b())
      bins[Math.floor(x * 10)]++
    }
    for (const count of bins) expect(Math.abs(count - 2000)).toBeLessThan(200)
  })

  it('drawn by number are independent of the order and of their neighbours', () => {
    expect(drawAt(1, 5, 2)).toBe(drawAt(1, 5, 2))
    let product = 0
    let mean = 0
    const count = 20_000
    for (let i = 0; i < count; i++) {
      product += (drawAt(9, i, 0) - 0.5) * (drawAt(9, i + 1, 0) - 0.5)
      mean += drawAt(9, i, 1)
    }
    expect(Math.abs(product / count) * 12).toBeLessThan(0.03)
    expect(mean / count).toBeCloseTo(0.5, 1)
  })

  it('of the normal kind have mean 0 and power 1', () => {
    const random = createRandom(2)
    const values = Array.from({ length: 20_000 }, () => gaussian(random))
    expect(Math.abs(values.reduce((s, v) => s + v, 0) / values.length)).toBeLessThan(0.03)
    expect(Math.abs(values.reduce((s, v) => s + v * v, 0) / values.length - 1)).toBeLessThan(0.04)
  })
})

describe('windows and units', () => {
  it('Hann windows at half overlap add up to one', () => {
    const w = hann(64)
    for (let i = 0; i < 32; i++) expect((w[i] as number) + (w[i + 32] as number)).toBeCloseTo(1, 12)
  })
  it('the Kaiser window is 1 in the middle and 0 outside', () => {
    expect(kaiser(0, 9)).toBe(1)
    expect(kaiser(1.01, 9)).toBe(0)
    // I0(0)/I0(9), I0(9) = 1093.588… (Abramowitz & Stegun, table 9.8)
    expect(kaiser(1, 9)).toBeCloseTo(1 / 1093.588, 7)
  })
  it('conversions undo each other', () => {
    for (const db of [-60, -6.02, 0, 12]) expect(amplitudeToDb(dbToAmplitude(db))).toBeCloseTo(db, 9)
    for (const st of [-36, -0.5, 0, 7, 12]) expect(ratioToSemitones(semitonesToRatio(st))).toBeCloseTo(st, 9)
    expect(semitonesToRatio(12)).toBe(2)
    expect(nearestPowerOfTwo(4080, 32)).toBe(4096)
    expect(nearestPowerOfTwo(3, 32)).toBe(32)
  })
})
