import { describe, expect, it } from 'vitest'
import { namedTempo } from './namedTempo'

describe('namedTempo', () => {
  it('reads a number that is marked as a tempo, wherever it stands', () => {
    for (const [file, bpm] of [
      ['rope-winch_96bpm.wav', 96],
      ['112BPM winch.aiff', 112],
      ['winch 93.5 bpm take 2.wav', 93.5],
      ['bpm_128-chain.flac', 128],
      ['folder 140/chain 93,5 BPM.wav', 93.5],
      ['48k_24bit_174bpm_64.wav', 174],
    ] as const)
      expect(namedTempo(file), file).toEqual({ bpm, marked: true })
  })

  it('takes a bare number for one only between separators and where it may be one', () => {
    for (const [file, bpm] of [
      ['chain-rattle_100.wav', 100],
      ['100_chain_A.wav', 100],
      ['chain 2 128 v3.wav', 128],
    ] as const)
      expect(namedTempo(file), file).toEqual({ bpm, marked: false })
    for (const file of [
      'guide-line-take-3.wav',
      'guide take 72.wav',
      'rain_48k.wav',
      'rain 96 khz.wav',
      'rain-24bit.wav',
      'bell_2026-11-25.wav',
      'bell 12.30.wav',
      'pier44100.wav',
      'a440.wav',
      'pad_7.wav',
      'boom 999.wav',
      'hull 300bpm.wav',
      '112/hull.wav',
      '',
    ])
      expect(namedTempo(file), file).toBeUndefined()
  })
})
