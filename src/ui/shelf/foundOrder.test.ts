import { describe, expect, it } from 'vitest'
import type { FoundFile } from '../session/state/store'
import { filterFound, sortFound } from './foundOrder'

const file = (path: string, facts?: { seconds: number; bpm?: number; kind: string }): FoundFile =>
  ({
    id: path,
    path,
    status: facts ? 'known' : 'waiting',
    ...(facts && {
      facts: {
        frames: facts.seconds * 100,
        sampleRate: 100,
        knowledge: { tempo: { bpm: facts.bpm }, material: { kind: facts.kind } },
      },
    }),
  }) as unknown as FoundFile

const crate = [
  file('sea/rain 10.wav', { seconds: 8, kind: 'noise' }),
  file('sea/rain 9.wav', { seconds: 9, kind: 'noise' }),
  file('ropes/winch.wav', { seconds: 10, bpm: 96, kind: 'hits' }),
  file('ropes/chain.wav', { seconds: 5, bpm: 100, kind: 'hits' }),
  file('ropes/unread.wav'),
]
const paths = (files: readonly FoundFile[]) => files.map(({ path }) => path)

describe('found files', () => {
  it('are filtered by words of name and folder, and by kind', () => {
    expect(paths(filterFound(crate, 'ROPES wi', ''))).toEqual(['ropes/winch.wav'])
    expect(filterFound(crate, '', 'noise')).toHaveLength(2)
    expect(filterFound(crate, 'chain', 'noise')).toHaveLength(0)
    expect(filterFound(crate, '  ', '')).toHaveLength(crate.length)
  })

  it('are filtered by a range of tempo and by length, together with words', () => {
    expect(paths(filterFound(crate, '90-98', ''))).toEqual(['ropes/winch.wav'])
    expect(paths(filterFound(crate, '<5s', ''))).toEqual(['ropes/chain.wav'])
    expect(paths(filterFound(crate, '>8.5s sea', ''))).toEqual(['sea/rain 9.wav'])
    expect(filterFound(crate, '90-110 <9', '')).toHaveLength(1)
  })

  it('are sorted by any of their facts, numbers in names as numbers, what is not known last', () => {
    expect(paths(sortFound(crate, 'name')).slice(-2)).toEqual(['sea/rain 9.wav', 'sea/rain 10.wav'])
    expect(paths(sortFound(crate, 'length'))[0]).toBe('ropes/chain.wav')
    expect(paths(sortFound(crate, 'length')).at(-1)).toBe('ropes/unread.wav')
    expect(paths(sortFound(crate, 'tempo')).slice(0, 2)).toEqual(['ropes/winch.wav', 'ropes/chain.wav'])
    expect(sortFound(crate, 'kind').map(({ facts }) => facts?.knowledge.material.kind)).toEqual([
      'hits',
      'hits',
      'noise',
      'noise',
      undefined,
    ])
  })
})
