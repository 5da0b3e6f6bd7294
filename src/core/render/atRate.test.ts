import { describe, expect, it } from 'vitest'
import { type AudioBlock, NO_MARKERS, silence } from '../audio/block'
import { readWav } from '../audio/readWav'
import { concat } from '../audio/writeWav'
import { finish } from '../task'
import { recipe } from '../testing/recipes'
import { block, sine } from '../testing/signals'
import { atRate, framesAtRate, RATE_RANGE } from './atRate'
import { exportTask } from './exportTask'

/** A voice that plays a sound, silent around it, and notes where it is asked. */
function voiceOf({ channels }: AudioBlock) {
  const asked: { from: number; to: number }[] = []
  const read = (from: number, out: readonly Float32Array[]) => {
    asked.push({ from, to: from + (out[0]?.length ?? 0) })
    out.forEach((to, c) => {
      for (let i = 0; i < to.length; i++) to[i] = channels[c]?.[from + i] ?? 0
    })
  }
  return { voice: { read }, asked }
}

const HZ = 997
const tone = (sampleRate: number) =>
  block(sampleRate, 2, sampleRate, (i, c) => (0.5 - 0.2 * c) * Math.sin((2 * Math.PI * HZ * i) / sampleRate))

function readAt(audio: AudioBlock, rate: number, blockFrames: number) {
  const { voice, asked } = voiceOf(audio)
  const frames = audio.channels[0]?.length ?? 0
  const count = framesAtRate(frames, audio.sampleRate, rate)
  const reader = atRate({ voice, channelCount: 2, sampleRate: audio.sampleRate }, rate)
  const out = silence(2, count)
  for (let at = 0; at < count; at += blockFrames)
    reader.read(
      at,
      out.map((channel) => channel.subarray(at, Math.min(count, at + blockFrames))),
    )
  return { out, asked }
}

describe('a result at another rate', () => {
  it.each([
    [48_000, 44_100],
    [44_100, 48_000],
    [48_000, 96_000],
    [96_000, 44_100],
  ])('is the same tone from %d to %d Hz', (from, to) => {
    const { out } = readAt(tone(from), to, 4096)
    const wanted = tone(to)
    let most = 0
    // the ends of a sound are where it was cut
    for (let i = 400; i < to - 400; i++)
      for (const c of [0, 1])
        most = Math.max(most, Math.abs((out[c]?.[i] as number) - (wanted.channels[c]?.[i] as number)))
    expect(20 * Math.log10(most)).toBeLessThan(-95)
  })

  it('lets nothing through that the lower rate cannot hold', () => {
    const high = sine({ hz: 30_000, seconds: 0.5, sampleRate: 96_000, channels: 2 })
    const { out } = readAt(high, 44_100, 1000)
    const most = (out[0] as Float32Array).subarray(500, -500).reduce((a, v) => Math.max(a, Math.abs(v)), 0)
    expect(20 * Math.log10(most)).toBeLessThan(-95)
  })

  it('is the same in blocks of any length, and reads the result on, never back', () => {
    const whole = readAt(tone(48_000), 44_100, 44_100)
    for (const frames of [7, 128, 4096]) {
      const { out, asked } = readAt(tone(48_000), 44_100, frames)
      expect(out).toEqual(whole.out)
      asked.slice(1).forEach(({ from }, n) => {
        expect(from).toBe(asked[n]?.to)
      })
      expect(asked[0]?.from).toBeLessThanOrEqual(0)
      expect(asked.at(-1)?.to).toBeGreaterThanOrEqual(48_000)
    }
  })

  it('is refused where no file has it', () => {
    const given = { voice: voiceOf(tone(48_000)).voice, channelCount: 2, sampleRate: 48_000 }
    expect(() => atRate(given, RATE_RANGE.min - 1)).toThrow(RangeError)
    expect(() => atRate(given, Number.NaN)).toThrow(RangeError)
  })
})

describe('a file at another rate', () => {
  it('is as long to the frame, says its rate, and has its marks where they are heard', () => {
    const audio = tone(48_000)
    const parts: Uint8Array<ArrayBuffer>[] = []
    const order = {
      recipe: recipe('wsola', { stretch: 1.5 }),
      format: '24' as const,
      rate: 44_100,
      markers: { ...NO_MARKERS, cues: [{ frame: 24_000, label: 'tide' }] },
    }
    const facts = finish(exportTask(audio, order, (bytes) => parts.push(bytes.slice())))
    const back = readWav(concat(parts), 'back')
    expect(back.audio.sampleRate).toBe(44_100)
    expect(back.audio.channels[0]?.length).toBe(66_150)
    expect(facts.frames).toBe(66_150)
    expect(back.markers.cues).toEqual([{ frame: 33_075, label: 'tide' }])
  })
})
