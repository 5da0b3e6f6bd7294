import { describe, expect, it } from 'vitest'
import type { AudioBlock } from '../audio/block'
import { renderBlock } from '../render/renderTask'
import { spectralDistance } from '../testing/distance'
import { AS_WRITTEN, type IdealItem, idealItems } from '../testing/ideals'
import { type Figures, judge } from '../testing/judge'
import { recipe } from '../testing/recipes'
import { renderTextbook, textbooks } from '../testing/textbook'
import { methodById, methods } from './registry'

/**
 * What each method is for, held against the ideal answer of one item: figures of docs/quality.md with a margin, and always
 * clearly nearer than the best textbook form.
 */
const item = (id: string) => idealItems.find((i) => i.id === id) as IdealItem

function figures(id: string, methodId: string, stretch: number, semitones = 0, keepFormants = false): Figures {
  const source = item(id).play(AS_WRITTEN)
  const playing = { ...AS_WRITTEN, stretch, semitones, keepFormants }
  const ideal = item(id).play(playing)
  const result = renderBlock(
    source.audio,
    recipe(methodId, { stretch, pitchSemitones: semitones, formants: keepFormants ? 'keep' : 'move' }),
  )
  return judge(result, ideal, source, item(id).kind)
}

/** How far a method is above the floor, as a share of how far the nearest textbook form is. */
function shareOfTextbook(id: string, methodId: string, stretch: number): number {
  const source = item(id).play(AS_WRITTEN)
  const playing = { ...AS_WRITTEN, stretch }
  const ideal = item(id).play(playing).audio
  const floor = spectralDistance(item(id).play({ ...playing, seed: 2 }).audio, ideal)
  const above = (audio: AudioBlock) => Math.max(0, spectralDistance(audio, ideal) - floor)
  const textbook = Math.min(...textbooks.map((kind) => above(renderTextbook(kind, source.audio, stretch, 0))))
  return above(renderBlock(source.audio, recipe(methodId, { stretch }))) / textbook
}

describe('what the methods promise', () => {
  it.each([
    ['drums', 'splice', 0.8],
    ['castanets', 'wsola', 1.25],
  ] as const)('%s by %s at %d ×: every attack once, in place, as sharp as it was', (id, method, stretch) => {
    const own = figures(id, method, stretch)
    expect([own.lost, own.added]).toEqual([0, 0])
    expect(own.slipMs).toBeLessThan(1)
    expect(own.beforeDb).toBeLessThan(1)
    expect(own.sharpnessLostDb).toBeLessThan(0.3)
    expect(Math.abs(own.loudness)).toBeLessThan(0.5)
  })

  it.each([1.25] as const)('a chord by the locked vocoder at %d ×: in tune, steady, clean between', (stretch) => {
    const own = figures('chord', 'vocoder', stretch)
    expect(own.detuneCents).toBeLessThan(0.5)
    expect(own.flutterDb).toBeLessThan(0.1)
    expect(own.betweenDb).toBeLessThan(-50)
  })

  it.each([
    ['castanets', 'splice', 1.25],
    ['arpeggio', 'vocoder', 1.25],
  ] as const)('%s by %s at %d × lies at most half as far off as the best textbook form', (id, method, stretch) => {
    expect(shareOfTextbook(id, method, stretch)).toBeLessThan(0.5)
  })

  it.each([
    ['glide', 0.8, 0],
    ['glide', 1, 7],
    ['bass', 1.5, 0],
  ] as const)('%s by pitch cycle at %d ×, %d st: the pitch within a cent, never wrong', (id, stretch, semitones) => {
    const own = figures(id, 'cycle', stretch, semitones, semitones !== 0)
    expect(own.pitchCents).toBeLessThan(1)
    expect(own.grossPercent).toBeLessThanOrEqual(0.5)
  })

  it('a voice by pitch cycle at 5 st keeps its formants within 1.5 %', () => {
    const own = figures('voice', 'cycle', 1, 5, true)
    expect(own.formantPercent).toBeLessThan(1.5)
    expect(own.pitchCents).toBeLessThan(1)
  })

  it.each([2])('rain by spectral drift at %d × stays rain, as loud as it was', (stretch) => {
    const own = figures('rain', 'drift', stretch)
    expect(Math.abs(own.flatnessDb as number)).toBeLessThan(1)
    expect(Math.abs(own.loudness)).toBeLessThan(0.3)
    expect(own.lineDb).toBeLessThan(3)
    expect(own.modulationDb).toBeLessThan(3)
    expect(own.coherence).toBeLessThan(0.05)
  })

  it.each([1.25, 4])('rain by waveform match at %d × neither pulses nor gets fainter', (stretch) => {
    const own = figures('rain', 'wsola', stretch)
    expect(Math.abs(own.loudness)).toBeLessThan(0.3)
    expect(own.modulationDb).toBeLessThan(2)
  })

  it('three layers keep the attacks of drums over chords where they are', () => {
    const own = figures('drums over chords', 'layered', 1.25)
    expect([own.lost, own.added]).toEqual([0, 0])
    expect(own.slipMs).toBeLessThan(1)
    expect(own.beforeDb).toBeLessThan(1)
    expect(own.flutterDb).toBeLessThanOrEqual(0.3)
    expect(own.detuneCents).toBeLessThan(2)
    expect(Math.abs(own.loudness)).toBeLessThan(0.5)
  })

  it.each(methods.map(({ id }) => id))('the image of a scene holds under %s', (methodId) => {
    const source = item('scene').play(AS_WRITTEN)
    const stretch = 1.5
    // one that is only slower is lower as well
    const semitones = methodById(methodId).tiesPitchToSpeed ? -12 * Math.log2(stretch) : 0
    const ideal = item('scene').play({ ...AS_WRITTEN, stretch, semitones })
    const own = judge(renderBlock(source.audio, recipe(methodId, { stretch })), ideal, source, 'scene')
    expect(own.coherence).toBeLessThan(0.06)
  })
})

describe('the judge', () => {
  it('finds nothing wrong with the ideal, and more with more damage', () => {
    const ideal = item('drums over chords').play(AS_WRITTEN)
    const clean = judge(ideal.audio, ideal, ideal, 'mix')
    expect(clean).toMatchObject({ distance: 0, loudness: 0, lost: 0, added: 0 })
    for (const value of [clean.flutterDb, clean.beforeDb, clean.sharpnessLostDb])
      expect(Math.abs(value as number)).toBeLessThan(0.05)
    // a copy of the sound laid 12 ms before it
    const echoed = (gain: number) => ({
      ...ideal.audio,
      channels: ideal.audio.channels.map((channel) => channel.map((v, i) => v + gain * (channel[i + 576] ?? 0))),
    })
    const [little, much] = [0.05, 0.3].map((gain) => judge(echoed(gain), ideal, ideal, 'mix')) as [Figures, Figures]
    expect(little.beforeDb).toBeGreaterThan(clean.beforeDb as number)
    expect(much.beforeDb).toBeGreaterThan(little.beforeDb as number)
    expect(much.distance).toBeGreaterThan(little.distance)
    // the whole sound trembling
    const trembling = {
      ...ideal.audio,
      channels: ideal.audio.channels.map((channel) =>
        channel.map((v, i) => v * (1 + 0.1 * Math.sin((2 * Math.PI * 7 * i) / 48_000))),
      ),
    }
    expect(judge(trembling, ideal, ideal, 'mix').flutterDb).toBeGreaterThan(0.3)
  })

  it('hears formants that moved, by how far they did', () => {
    const voice = item('voice').play(AS_WRITTEN)
    expect(judge(voice.audio, voice, voice, 'line').formantPercent).toBe(0)
    const at = (semitones: number) => {
      // the same pitch over an envelope that has moved along: played higher, then told that the pitch is what was asked for
      const kept = item('voice').play({ ...AS_WRITTEN, semitones, keepFormants: true })
      return judge(item('voice').play({ ...AS_WRITTEN, semitones }).audio, kept, voice, 'line').formantPercent as number
    }
    expect(at(1)).toBeGreaterThan(1.5)
    expect(at(3)).toBeGreaterThan(at(1))
  })

  it('hears a wrong pitch, a lost attack and a made-up one', () => {
    const ideal = item('castanets').play(AS_WRITTEN)
    const silenced = ideal.audio.channels.map((channel) => {
      const copy = channel.slice()
      copy.fill(0, 0.85 * 48_000, 1.05 * 48_000)
      return copy
    })
    expect(judge({ ...ideal.audio, channels: silenced }, ideal, ideal, 'hits').lost).toBe(1)
    const doubled = ideal.audio.channels.map((channel) => channel.map((v, i) => v + 0.8 * (channel[i - 5000] ?? 0)))
    expect(judge({ ...ideal.audio, channels: doubled }, ideal, ideal, 'hits').added).toBeGreaterThan(5)
    const low = item('bass').play({ ...AS_WRITTEN, semitones: -0.3 })
    const bass = item('bass').play(AS_WRITTEN)
    expect(judge(low.audio, bass, bass, 'line').pitchCents).toBeGreaterThan(25)
  })
})
