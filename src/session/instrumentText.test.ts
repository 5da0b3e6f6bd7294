import { describe, expect, it } from 'vitest'
import { instrumentText, zonesOf } from './instrumentText'

describe('zones', () => {
  it('leave no key out, and give none to two', () => {
    for (const [root, every, from, to] of [
      [57, 3, 45, 69],
      [57.4, 1, 50, 60],
      [60, 12, 0, 127],
      [40, 5, 60, 71],
      [90, 7, 20, 33],
      [60, 40, 61, 63],
    ] as const) {
      const zones = zonesOf(root, every, from, to)
      expect(zones[0]?.low).toBe(from)
      expect(zones.at(-1)?.high).toBe(to)
      zones.forEach(({ low, high, key }, n) => {
        expect(key).toBeGreaterThanOrEqual(low)
        expect(key).toBeLessThanOrEqual(high)
        expect(low).toBe(n === 0 ? from : (zones[n - 1]?.high as number) + 1)
      })
    }
  })

  it('lie on the root and as far apart as is asked', () => {
    expect(zonesOf(57, 3, 45, 69).map(({ key }) => key)).toEqual([45, 48, 51, 54, 57, 60, 63, 66, 69])
  })

  it('are refused where they make no sense', () => {
    expect(() => zonesOf(60, 0, 0, 127)).toThrow(RangeError)
    expect(() => zonesOf(60, 3, 70, 60)).toThrow(RangeError)
  })
})

it('the text says which keys play which sample, how, and where it goes round', () => {
  const text = instrumentText({
    name: 'Harbour bell',
    zones: [{ file: 'samples/bell_057.wav', key: 57, low: 56, high: 58, loop: { start: 100, end: 4000 } }],
    play: 'loop',
    attackMs: 5,
    releaseMs: 250,
  })
  expect(text.split('\n')).toEqual([
    '// Harbour bell, made by Zumbet',
    '<global> loop_mode=loop_continuous ampeg_attack=0.005 ampeg_release=0.25',
    '<region> sample=samples/bell_057.wav lokey=56 hikey=58 pitch_keycenter=57 loop_start=100 loop_end=3999',
    '',
  ])
})
