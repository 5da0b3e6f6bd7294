import { describe, expect, it } from 'vitest'
import { createRandom } from '../dsp/random'
import { materialOf, settledKind } from './material'

describe('a kind that the texture settles', () => {
  it('is the one that all of the evidence comes to, whatever tones there are', () => {
    const random = createRandom(77)
    let settled = 0
    for (let n = 0; n < 4000; n++) {
      const [a, b, c] = [random(), random(), random()].map((x) => x ** 2 + 1e-4) as [number, number, number]
      const sum = a + b + c
      const texture = {
        sines: a / sum,
        attacks: b / sum,
        noise: c / sum,
        flatness: 0.6 * random() ** 3,
        peaky: random(),
      }
      const attacksPerSecond = 12 * random() ** 2
      const kind = settledKind(texture, attacksPerSecond)
      if (kind === undefined) continue
      settled++
      for (const pitched of [0, random(), 0.95, 1])
        for (const beyondOneVoice of [undefined, 0, 0.05, random(), 1])
          expect(materialOf({ texture, beyondOneVoice, pitched, attacksPerSecond }).kind).toBe(kind)
    }
    expect(settled).toBeGreaterThan(400)
    expect(settled).toBeLessThan(3900)
  })

  it('is unsure of silence', () => {
    const silence = { sines: 0, attacks: 0, noise: 0, flatness: 0, peaky: 0 }
    expect(settledKind(silence, 0)).toBe('unsure')
  })
})
