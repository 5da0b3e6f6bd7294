import { describe, expect, it } from 'vitest'
import { createRandom } from '../core/dsp/random'
import { contentKey, partKey } from './contentKey'
import { newSource, newVariant } from './create'
import { recipeOf } from './recipe'
import type { Source } from './schema'

const facts = { frames: 9000, sampleRate: 48_000, channels: 1, container: 'WAV', peak: 1, hash: 'ab'.repeat(32) }
const source = (part: Partial<Source> = {}): Source => ({
  ...newSource({ id: 'x', name: 'X', file: 'x.wav', origin: 'file' }),
  facts,
  ...part,
})

describe('contentKey', () => {
  it('is the same for the same bytes, part, attacks and recipe, whosever they are', () => {
    const [a, b] = [source(), source({ id: 'y', name: 'Y', hash: facts.hash })]
    const variant = newVariant('v', 'A', 'grain')
    expect(contentKey(a, recipeOf(a, variant))).toBe(contentKey(b, recipeOf(b, { ...variant, id: 'w', letter: 'B' })))
    expect(contentKey(a, { stretch: 2, seed: 1 })).toBe(contentKey(a, { seed: 1, stretch: 2, map: undefined }))
    expect(partKey(a)).toBe(partKey(b))
  })

  it('differs where any of it does', () => {
    const recipe = { stretch: 2, settings: { grainMs: 33 } }
    const plain = source()
    const others = [
      contentKey(source({ hash: 'cd'.repeat(32) }), recipe),
      contentKey(source({ range: { start: 0, end: 8000 } }), recipe),
      contentKey(source({ range: { start: 1, end: 9000 } }), recipe),
      contentKey(source({ hand: { attacks: { added: [3], removed: [] } } }), recipe),
      contentKey(source({ hand: { attacks: { added: [], removed: [3] } } }), recipe),
      contentKey(plain, { ...recipe, settings: { grainMs: 34 } }),
      contentKey(plain, recipe, 8),
      contentKey(plain, 4, recipe),
      contentKey(plain),
      partKey(plain),
      partKey(source({ range: { start: 0, end: 8000 } })),
    ]
    expect(new Set([contentKey(plain, recipe), ...others]).size).toBe(others.length + 1)
    // what people say of a tempo changes no sound
    expect(contentKey(source({ hand: { bpm: 99 } }), recipe)).toBe(contentKey(plain, recipe))
  })

  it('takes no two of many for one', () => {
    const random = createRandom(7)
    const keys = new Set<string>()
    for (let n = 0; n < 30_000; n++)
      keys.add(contentKey(source(), { stretch: n / 1000, seed: Math.floor(random() * 3), settings: { grainMs: n } }))
    expect(keys.size).toBe(30_000)
    for (const word of [0, 8, 16, 24]) {
      const words = new Set([...keys].map((key) => key.slice(word, word + 8)))
      expect(words.size, `word at ${word}`).toBeGreaterThan(29_990)
    }
  })

  it('tells long lists apart by all that is in them, and by nothing else', () => {
    const pins = (change: (n: number) => object = () => ({})) =>
      Array.from({ length: 400 }, (_, n) => ({ source: n / 7, own: n / 7 + 1e-9 * n, ...change(n) }))
    const key = (list: readonly unknown[]) => contentKey(source(), { pins: list })
    expect(key(pins())).toBe(key(pins().map(({ source: at, own }) => ({ own, source: at, curve: undefined }))))
    const others = [
      pins((n) => (n === 399 ? { own: 57.1 } : {})),
      pins((n) => (n === 200 ? { own: 200 / 7 } : {})),
      pins((n) => (n === 3 ? { curve: 'curved' } : {})),
      pins().slice(1),
      pins().map(({ source: at, own }) => ({ source: own, own: at })),
      pins().map(({ source: at, own }) => [at, own]),
      pins().map(({ source: at, own }) => ({ source: String(at), own })),
    ]
    expect(new Set([key(pins()), ...others.map(key)]).size).toBe(others.length + 1)
  })
})
