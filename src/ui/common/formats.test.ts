import { describe, expect, it } from 'vitest'
import { channelText, countText, dbText, kindText, peakText, rateText, timeText } from './formats'

describe('how numbers are written', () => {
  it('seconds as a position, rounded without ever showing sixty', () => {
    expect(timeText(0)).toBe('0:00.000')
    expect(timeText(9.12)).toBe('0:09.120')
    expect(timeText(59.9996)).toBe('1:00.000')
    expect(timeText(64.25)).toBe('1:04.250')
    expect(timeText(3723)).toBe('1:02:03.000')
    expect(timeText(-2)).toBe('0:00.000')
  })
  it('levels with a real minus, and none before nothing', () => {
    expect(dbText(-3.14)).toBe('−3.1')
    expect(dbText(-0.01)).toBe('0.0')
    expect(dbText(2)).toBe('2.0')
    expect(peakText(1)).toBe('0.0 dB')
    expect(peakText(0.5)).toBe('−6.0 dB')
    expect(peakText(1.2)).toBe('+1.6 dB')
    expect(peakText(0)).toBe('silent')
  })
  it('counts in threes', () => {
    expect(countText(7)).toBe('7')
    expect(countText(480_000).replace(/\s/g, ' ')).toBe('480 000')
    expect(countText(1_234_567).replace(/\s/g, ' ')).toBe('1 234 567')
  })
  it('what a file is', () => {
    expect(rateText(48_000)).toBe('48 kHz')
    expect(rateText(44_100)).toBe('44.1 kHz')
    expect([1, 2, 6].map(channelText)).toEqual(['mono', 'stereo', '6 channels'])
    const facts = { frames: 1, sampleRate: 48_000, channels: 2, container: 'WAV', peak: 1 }
    expect(kindText({ ...facts, depth: { bits: 24, float: false } })).toBe('WAV 24-bit')
    expect(kindText({ ...facts, depth: { bits: 32, float: true } })).toBe('WAV 32-bit float')
    expect(kindText({ ...facts, container: 'MP3' })).toBe('MP3')
  })
})
