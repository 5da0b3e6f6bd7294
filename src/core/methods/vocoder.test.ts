import { describe, expect, it } from 'vitest'
import { renderBlock } from '../render/renderTask'
import { recipe } from '../testing/recipes'
import { block } from '../testing/signals'

const RATE = 48_000
const HOP = 1024

/** a string that is struck at a frame and rings on */
const struckAt = (frame: number) =>
  block(RATE, 1, 1.5 * RATE, (i) => {
    const seconds = (i - frame) / RATE
    return seconds < 0 ? 0 : 0.5 * Math.exp(-1.5 * seconds) * Math.sin(2 * Math.PI * 523 * seconds)
  })

const levelDb = (samples: Float32Array, from: number, to: number) => {
  let sum = 1e-12
  for (let i = from; i < to; i++) sum += (samples[i] as number) ** 2
  return 10 * Math.log10(sum / (to - from))
}

describe('an attack by the locked vocoder', () => {
  it('comes out as strong as it is wherever it lies between two columns, and nothing sounds ahead of it', () => {
    for (const stretch of [0.8, 1.25, 2]) {
      const settings = { windowMs: 85 }
      for (let eighth = 0; eighth < 8; eighth++) {
        const output = Math.round((20 + eighth / 8) * HOP)
        const frame = Math.round(output / stretch)
        const source = struckAt(frame)
        const [result] = renderBlock(source, recipe('vocoder', { stretch, settings })).channels as [Float32Array]
        const [own] = source.channels as [Float32Array]
        const start = levelDb(result, output, output + 0.02 * RATE) - levelDb(own, frame, frame + 0.02 * RATE)
        expect(Math.abs(start), `${stretch} ×, ${eighth}/8`).toBeLessThan(0.7)
        const ahead = levelDb(result, output - 0.03 * RATE, output - 48) - levelDb(own, frame, frame + 0.02 * RATE)
        expect(ahead, `${stretch} ×, ${eighth}/8`).toBeLessThan(-30)
      }
    }
  })

  it('goes on as loud as the source is at that place, by three-layer too, however far the stretch', () => {
    for (const methodId of ['vocoder', 'layered']) {
      for (const stretch of [0.5, 2, 8]) {
        const frame = Math.round(0.2 * RATE)
        const source = struckAt(frame)
        const [result] = renderBlock(source, recipe(methodId, { stretch })).channels as [Float32Array]
        const [own] = source.channels as [Float32Array]
        for (const later of [0.6, 0.9, 1.1]) {
          const place = Math.round(frame + later * RATE)
          const gain =
            levelDb(result, place * stretch, place * stretch + 2400) - levelDb(own, place, place + 2400 / stretch)
          expect(Math.abs(gain), `${methodId}, ${stretch} ×, ${later} s`).toBeLessThan(0.2)
        }
      }
    }
  })
})
