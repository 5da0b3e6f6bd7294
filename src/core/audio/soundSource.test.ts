import { describe, expect, it } from 'vitest'
import { noveltyOf } from '../analysis/novelty'
import { trackPitch } from '../analysis/pitchTrack'
import { createRandom } from '../dsp/random'
import { know } from '../knowledge/know'
import { planOf } from '../render/openVoice'
import { finish } from '../task'
import { byParts } from '../testing/byParts'
import { recipe } from '../testing/recipes'
import { block, noise } from '../testing/signals'
import { tellingSpan } from '../trials/excerpt'
import { trialTask } from '../trials/trial'
import { type AudioBlock, frameCount } from './block'
import { inBlocks, partAround, soundSource, sourceWithin } from './soundSource'

const longest = ({ asked }: ReturnType<typeof byParts>) => Math.max(...asked.map(({ from, to }) => to - from))

/** Strokes over a line that glides, half a minute of it. */
const long: AudioBlock = (() => {
  const random = createRandom(3)
  return block(22_050, 2, 30 * 22_050, (i, c) => {
    const seconds = i / 22_050
    const stroke = Math.exp(-(seconds % 0.5) / 0.03) * (random() - 0.5)
    return 0.4 * stroke + (c === 0 ? 0.2 : 0.15) * Math.sin(2 * Math.PI * (200 * seconds + 2 * seconds * seconds))
  })
})()

describe('a sound read by parts', () => {
  it('is known as well as one in memory, without ever being asked for as a whole', () => {
    const source = byParts(long)
    expect(finish(know(source))).toEqual(finish(know(long)))
    expect(longest(source)).toBeLessThan(6 * long.sampleRate)
  })

  it('has the same novelty where levels are not kept, and the same pitch', () => {
    const source = byParts(long)
    const novelty = finish(noveltyOf(long))
    expect(finish(noveltyOf(source, 0))).toEqual(novelty)
    expect(novelty.all.some((value) => value > 0.5)).toBe(true)
    expect(finish(trackPitch(source))).toEqual(finish(trackPitch(long)))
    expect(longest(source)).toBeLessThan(6 * long.sampleRate)
  })

  it('is tried as one in memory is, on the part that tells most', () => {
    const source = byParts(long)
    const own = recipe('wsola', { stretch: 1.5 })
    const { map } = planOf(own, soundSource(long))
    const span = tellingSpan(source, map, [22_050, 33_075], 6)
    expect(span).toEqual(tellingSpan(long, map, [22_050, 33_075], 6))
    const known = { attacks: [] }
    expect(finish(trialTask(source, own, span, known))).toEqual(finish(trialTask(long, own, span, known)))
  })
})

describe('a source in blocks', () => {
  const audio = noise({ seconds: 0.1, seed: 1, channels: 2 })

  it('has the very samples of the source, wherever and however much is read', () => {
    const frames = frameCount(audio)
    const source = inBlocks(byParts(audio), 256)
    const random = createRandom(5)
    for (let n = 0; n < 300; n++) {
      const from = Math.floor(random() * frames)
      const to = Math.min(frames, from + Math.floor(random() * (n % 10 === 0 ? 2000 : 300)))
      const { channels } = source.part(from, to)
      expect(channels).toEqual(audio.channels.map((channel) => channel.subarray(from, to)))
    }
  })

  it('asks for each block once when it is read on in small steps', () => {
    const inner = byParts(audio)
    const source = inBlocks(inner, 1024)
    for (let from = 0; from + 128 <= frameCount(audio); from += 96) source.part(from, from + 128)
    expect(inner.asked.length).toBe(Math.ceil(frameCount(audio) / 1024))
  })
})

describe('a part of a source', () => {
  it('counts its frames from its own start', () => {
    const audio = noise({ seconds: 0.05, seed: 2 })
    const part = sourceWithin(soundSource(audio), 100, 900)
    expect(part.frames).toBe(800)
    expect(part.part(20, 50).channels[0]).toEqual(audio.channels[0]?.subarray(120, 150))
    expect(partAround(part, -10, 5)).toEqual({ start: 0, audio: part.part(0, 5) })
    expect(partAround(part, 790, 2000).audio.channels[0]).toHaveLength(10)
  })
})
