import { describe, expect, it } from 'vitest'
import { mendedText } from './mendedText'

const name = (n: number) => ['Bell', 'Rain'][n]

describe('mendedText', () => {
  it('says what was mended, of which source, in the words of the screen', () => {
    expect(
      mendedText(
        [
          { path: 'sources.0.target.stretch', was: 5000, now: 1000 },
          { path: 'sources.1.variants.0.methodId', was: 'moonshine', now: 'wsola' },
          { path: 'sources.7', was: { name: 'Lost tune' } },
        ],
        name,
      ),
    ).toBe(
      'Bell: stretch was 5000, is 1000; Rain: variant 1 method was “moonshine”, is “wsola”; source 8 (“Lost tune”) left out',
    )
  })

  it('tells the first few, and how many more', () => {
    const many = Array.from({ length: 9 }, (_, n) => ({ path: `sources.0.blind.${n}`, was: null }))
    expect(mendedText(many, name)).toMatch(/; and 6 more$/)
    expect(mendedText([{ path: 'bpm', was: Number.NaN, now: 96 }], name)).toBe('tempo was NaN, is 96')
    expect(mendedText([{ path: 'sources.1.range', was: { start: 9, end: 1 }, now: { start: 1, end: 9 } }], name)).toBe(
      'Rain: range was 9 to 1, is 1 to 9',
    )
  })
})
