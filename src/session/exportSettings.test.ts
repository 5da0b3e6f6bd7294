import { describe, expect, it } from 'vitest'
import { exportOutlook, FIRST_EXPORT_OUTLOOK, namesBy, unknownFields } from './exportSettings'

const winch = { source: 'Rope winch', what: 'A', stretch: 'x1.25', pitch: '', method: 'wsola' }

describe('names by a pattern', () => {
  it('leave out what stands for nothing, with its separators', () => {
    expect(namesBy('{source}_{what}_{stretch}_{pitch}_{method}', 'wav', [winch])).toEqual([
      'Rope-winch_A_x1.25_wsola.wav',
    ])
    expect(namesBy('{pitch} {source} - {key} - {bpm}', 'flac', [winch])).toEqual(['Rope-winch.flac'])
  })

  it('are told apart, whatever their case', () => {
    expect(namesBy('{source}', 'mp3', [winch, { source: 'ROPE WINCH' }, winch])).toEqual([
      'Rope-winch.mp3',
      'ROPE-WINCH_2.mp3',
      'Rope-winch_3.mp3',
    ])
    expect(namesBy('{n} {source}', 'opus', [winch, winch])).toEqual(['01-Rope-winch.opus', '02-Rope-winch.opus'])
  })

  it('hold nothing that a file system refuses, and are never empty', () => {
    expect(namesBy('{source}', 'wav', [{ source: 'a/b:c?' }])).toEqual(['a-b-c-.wav'])
    expect(namesBy('{pitch}', 'wav', [{ pitch: '' }])).toEqual(['sound.wav'])
    expect(namesBy('../../{source}', 'wav', [{ source: 'x' }])[0]).not.toMatch(/[/\\]/)
  })

  it('say which words they do not know', () => {
    expect(unknownFields('{source}_{tempo}_{}')).toEqual(['tempo', ''])
  })
})

it('what is kept of exports has a default for every field', () => {
  expect(exportOutlook.parse({})).toEqual(FIRST_EXPORT_OUTLOOK)
})
