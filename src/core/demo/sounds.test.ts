import { describe, expect, it } from 'vitest'
import { peakOf } from '../audio/block'
import { createLoudnessMeter } from '../measure/loudness'
import { cents, fitTone, rms } from '../testing/tone'
import { type DemoSound, demoMakers } from './sounds'

const sounds = Object.entries(demoMakers).map(([id, make]) => [id, make()] as const)
const of = (id: string) => (sounds.find(([name]) => name === id) as readonly [string, DemoSound])[1]
const mono = (sound: DemoSound) => {
  const [left, right] = sound.audio.channels as [Float32Array, Float32Array]
  return left.map((value, i) => (value + (right[i] as number)) / 2)
}

describe.each(sounds)('%s', (id, { audio, truth }) => {
  it('is stereo, 2 to 20 seconds long, at a healthy level without clipping', () => {
    const [left, right] = audio.channels as [Float32Array, Float32Array]
    expect(audio.channels).toHaveLength(2)
    expect(truth.seconds).toBe(left.length / audio.sampleRate)
    expect(truth.seconds).toBeGreaterThanOrEqual(2)
    expect(truth.seconds).toBeLessThanOrEqual(20)
    const meter = createLoudnessMeter(audio.sampleRate, 2)
    meter.add(audio.channels, left.length)
    const loudness = meter.finish()
    expect(peakOf(audio.channels)).toBeLessThan(0.95)
    expect(loudness).toBeGreaterThan(-32)
    expect(loudness).toBeLessThan(-8)
    expect(left.some((value, i) => value !== right[i])).toBe(true)
  })

  it('comes out the same each time it is made', () => {
    const again = demoMakers[id]?.() as DemoSound
    expect(again.truth).toEqual(truth)
    expect(again.audio.channels[0]?.every((value, i) => value === audio.channels[0]?.[i])).toBe(true)
  })

  it('has a rise in level at every attack that its truth names', () => {
    const samples = mono({ audio, truth })
    for (const time of truth.attacks) {
      const at = Math.round(time * audio.sampleRate)
      const before = samples.slice(Math.max(0, at - 480), at)
      const after = samples.slice(at, at + 2400)
      let slope = 0
      let slopeBefore = 1e-5
      for (let i = 1; i < after.length; i++)
        slope = Math.max(slope, Math.abs((after[i] as number) - (after[i - 1] as number)))
      for (let i = 1; i < before.length; i++)
        slopeBefore = Math.max(slopeBefore, Math.abs((before[i] as number) - (before[i - 1] as number)))
      expect(
        Math.max(slope / slopeBefore, rms(after) / Math.max(1e-5, rms(before))),
        `attack at ${time}`,
      ).toBeGreaterThan(1.15)
    }
  })
})

describe('the truth beside the demo sounds', () => {
  it('gives loops exactly as many bars as it says', () => {
    for (const [, { truth }] of sounds) {
      if (truth.bars === undefined || truth.bpmByBar !== undefined || truth.bpm === undefined) continue
      const bars = (truth.bars * 240) / truth.bpm
      expect(truth.seconds).toBeCloseTo(bars + (truth.overhangSeconds ?? 0), 4)
    }
  })

  it('names pitches that the sound really has', () => {
    const { audio, truth } = of('foghorn-tune')
    for (const note of truth.notes ?? []) {
      const from = Math.round((note.start + 0.4 * (note.end - note.start)) * audio.sampleRate)
      const to = Math.round((note.end - 0.1) * audio.sampleRate)
      const tone = fitTone(mono({ audio, truth }).slice(from, to), audio.sampleRate, note.hz)
      // a whistle's vibrato is a few cents wide and not a whole number of turns long
      expect(Math.abs(cents(tone.hz, note.hz))).toBeLessThan(12)
    }
  })
})
