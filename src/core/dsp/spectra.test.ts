import { describe, expect, it } from 'vitest'
import { type Synthesis, synthesisKernel, synthesisTwin } from '../kernels/synthesis'
import { complexFft, splitRealPair } from './fft'
import { packFrames } from './frames'
import { createRandom } from './random'
import { emptyColumn, turnPeak } from './spectra'
import { hann } from './window'

const LENGTH = 256
const HOP = LENGTH / 4

/** A column of two channels of a signal, at a start. */
function columnOf(channels: readonly Float32Array[], start: number) {
  const fft = complexFft(LENGTH)
  const packed = fft.create()
  const spectrum = fft.create()
  const column = emptyColumn(channels.length, LENGTH)
  const spare = new Float32Array(LENGTH + 2)
  for (let c = 0; c < channels.length; c += 2) {
    packFrames(packed, hann(LENGTH), channels[c] as Float32Array, start, channels[c + 1], start)
    fft.forward(spectrum, packed)
    splitRealPair(spectrum, LENGTH, column[c] as Float32Array, (column[c + 1] as Float32Array) ?? spare)
  }
  return column
}

describe('columns', () => {
  it.each(
    [1, 2, 3].flatMap((count) => [
      [count, 'kernel', synthesisKernel] as const,
      [count, 'twin', synthesisTwin] as const,
    ]),
  )('laid as they were taken give %d channels back, by the %s', (channelCount, _, make) => {
    const random = createRandom(4)
    const channels = Array.from({ length: channelCount }, () =>
      Float32Array.from({ length: 2048 }, () => random() - 0.5),
    )
    const sum = channels.map(() => new Float32Array(2048))
    const lay = make(LENGTH, 'hann') as Synthesis
    for (let start = 0; start + LENGTH <= 2048; start += HOP) {
      lay(
        columnOf(channels, start),
        sum.map((channel) => channel.subarray(start, start + LENGTH)),
        1 / 1.5,
      )
    }
    channels.forEach((channel, c) => {
      for (let i = LENGTH; i < 2048 - LENGTH; i++) expect(sum[c]?.[i]).toBeCloseTo(channel[i] as number, 5)
    })
  })

  it('turned around a peak go on from where the last one stood, by the same turn in every channel', () => {
    const bin = 20
    const tone = (phase: number) =>
      Float32Array.from({ length: 2048 }, (_, i) => Math.cos((2 * Math.PI * bin * i) / LENGTH + phase))
    const source = [tone(0), tone(0.7)]
    // the last column stood a quarter turn ahead of the source
    const last = columnOf([tone(Math.PI / 2), tone(0.7 + Math.PI / 2)], 300)
    const before = columnOf(source, 300)
    const now = columnOf(source, 300 + HOP)
    const out = emptyColumn(2, LENGTH)
    turnPeak(out, now, last, before, bin - 3, bin + 4, true)
    const angle = (column: readonly Float32Array[], c: number) =>
      Math.atan2(column[c]?.[2 * bin + 1] as number, column[c]?.[2 * bin] as number)
    for (const c of [0, 1]) {
      const turn = angle(out, c) - angle(now, c)
      expect(Math.cos(turn - Math.PI / 2)).toBeCloseTo(1, 6)
    }
    turnPeak(out, now, last, before, bin - 3, bin + 4, false)
    expect(Array.from(out[0] as Float32Array).slice(2 * bin - 6, 2 * bin + 8)).toEqual(
      Array.from(now[0] as Float32Array).slice(2 * bin - 6, 2 * bin + 8),
    )
  })
})
