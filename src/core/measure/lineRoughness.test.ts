import { describe, expect, it } from 'vitest'
import { trackPitch } from '../analysis/pitchTrack'
import { type AudioBlock, frameCount } from '../audio/block'
import { finish } from '../task'
import { AS_WRITTEN, idealItems } from '../testing/ideals'
import { noise } from '../testing/signals'
import { straightMap } from '../timeline/timeMap'
import { lineRoughnessOf, readLine } from './lineRoughness'
import { straightened } from './straightened'

const item = (id: string) => idealItems.find((one) => one.id === id) as (typeof idealItems)[number]
const glide = item('glide').play(AS_WRITTEN).audio

function roughness(source: AudioBlock, result: AudioBlock, stretch: number) {
  const one = () => 1
  const map = straightMap(frameCount(source), stretch)
  const comparison = { source, result, from: 0, map, pitchRatioAt: one, formantRatioAt: one }
  const line = finish(readLine(source, finish(trackPitch(source))))
  return line && finish(lineRoughnessOf(comparison, { pairs: [] }, line, finish(trackPitch(result))))
}

/** Pieces of 30 ms, each read a little early or late, as by a search for likeness that misses. */
function torn(audio: AudioBlock, frames: number): AudioBlock {
  const piece = Math.round(0.03 * audio.sampleRate)
  return {
    ...audio,
    channels: audio.channels.map((samples) =>
      samples.map((_, i) => samples[i + (Math.floor(i / piece) % 2 === 0 ? frames : 0)] ?? 0),
    ),
  }
}

describe('a straightened line', () => {
  it('has one pitch, whatever it had', () => {
    const straight = straightened(glide, finish(trackPitch(glide)))
    const track = finish(trackPitch({ sampleRate: glide.sampleRate, channels: [straight?.samples as Float32Array] }))
    const voiced = Array.from(track.hz).filter((hz, n) => hz > 0 && (track.clarity[n] as number) > 0.9)
    expect(voiced.length).toBeGreaterThan(150)
    const near = voiced.filter((hz) => Math.abs(1200 * Math.log2(hz / (straight?.hz as number))) < 25)
    expect(near.length / voiced.length).toBeGreaterThan(0.95)
  })
  it('is none without a pitch', () => {
    const hiss = noise({ seconds: 0.5, seed: 2 })
    const silent = { ...hiss, channels: [new Float32Array(24_000)] }
    expect(straightened(silent, finish(trackPitch(silent)))).toBeUndefined()
  })
})

describe('the roughness of a line', () => {
  it.each([0.8, 1.25, 2])('is nothing for the same glide played at %s of its length', (stretch) => {
    const result = item('glide').play({ ...AS_WRITTEN, stretch }).audio
    expect(roughness(glide, result, stretch)?.db).toBeLessThan(2)
  })
  it('rises as a line is torn, and says where', () => {
    const little = roughness(glide, torn(glide, 2), 1)?.db ?? 0
    const much = roughness(glide, torn(glide, 12), 1)
    expect(little).toBeGreaterThan(2)
    expect(much?.db).toBeGreaterThan(little + 3)
    expect(much?.places.length).toBeGreaterThan(5)
  })
  it('is not asked of what is no line: hits, chords, noise', () => {
    for (const id of ['drums', 'rain']) {
      const { audio } = item(id).play(AS_WRITTEN)
      expect([id, roughness(audio, audio, 1)]).toEqual([id, undefined])
    }
  })
})
