import { describe, expect, it } from 'vitest'
import { firstSession } from './create'
import { cueSheet } from './cueSheet'
import type { Session } from './schema'

const laid = (session: Session) => ({
  rate: 48_000,
  // each part ends 16 beats after it begins, at 96 BPM
  parts: session.parts.map((part) => ({ part, to: ((part.startBeat + 16) * 60 * 48_000) / 96 })),
})
const rowsOf = (html: string) =>
  [...html.matchAll(/<tr>(.*?)<\/tr>/g)]
    .map(([, row = '']) => [...row.matchAll(/<t[hd][^>]*>(.*?)<\/t[hd]>/g)].map(([, cell]) => cell as string))
    .slice(1)

describe('cueSheet', () => {
  const steady: Session = { ...firstSession(), tempoLine: [], metre: [], bpm: 96, beatsPerBar: 4 }
  const sheet = (session: Session) => cueSheet(session, laid(session) as never, 'The Tide Clock')

  it('tells when each section begins and how long it lasts, and leaves no bar out', () => {
    const session: Session = {
      ...steady,
      sections: [
        { id: 'a', name: 'Flood', bar: 3, bars: 4 },
        { id: 'b', name: 'Ebb', bar: 7, bars: 2 },
      ],
    }
    const rows = rowsOf(sheet(session))
    expect(rows.slice(0, 3).map((cells) => cells.slice(0, 6))).toEqual([
      ['–', '1', '2', '0:00.0', '0:05.0', '96'],
      ['Flood', '3', '4', '0:05.0', '0:10.0', '96'],
      ['Ebb', '7', '2', '0:15.0', '0:05.0', '96'],
    ])
    let bar = 1
    for (const [, from, bars] of rows) {
      expect(Number(from)).toBe(bar)
      bar += Number(bars)
    }
    const last = Math.max(...session.parts.map(({ startBeat }) => startBeat + 16))
    expect(4 * (bar - 1)).toBeGreaterThanOrEqual(last)
  })

  it('names in each section what sounds in it, by row, and nothing else', () => {
    const [first] = steady.parts
    if (!first) throw new Error('the demo has no parts')
    const session: Session = {
      ...steady,
      parts: [{ ...first, startBeat: 16 }],
      sections: [
        { id: 'a', name: 'before', bar: 1, bars: 4 },
        { id: 'b', name: 'within', bar: 5, bars: 4 },
        { id: 'c', name: 'behind', bar: 9, bars: 4 },
      ],
    }
    const name = session.sources.find(({ id }) => id === first.source)?.name as string
    expect(rowsOf(sheet(session)).map((cells) => cells[6]?.includes(name))).toEqual([false, true, false])
  })

  it('tells how a tempo goes, and takes names for what they are', () => {
    const html = sheet({
      ...steady,
      tempoLine: [
        { beat: 0, bpm: 120, curve: 'linear' },
        { beat: 16, bpm: 60, curve: 'step' },
      ],
      sections: [{ id: 'a', name: '<b>Slack & tide', bar: 1, bars: 4 }],
    })
    expect(rowsOf(html)[0]?.[5]).toMatch(/^120 → 60/)
    expect(html).toContain('&lt;b&gt;Slack &amp; tide')
  })
})
