import { describe, expect, it } from 'vitest'
import { type AudioBlock, NO_MARKERS, silence } from '../audio/block'
import { concat } from '../audio/byteWriter'
import { readWav } from '../audio/readWav'
import { finish } from '../task'
import { recipe } from '../testing/recipes'
import { block } from '../testing/signals'
import { project } from '../testing/tone'
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

/** What a tone at `hz` comes to, in dB of it: its gain, all that is not it, and all in all. Its ends are left out. */
function heard(hz: number, from: number, to: number) {
  const { out } = readAt(
    block(from, 1, from, (i) => 0.9 * Math.sin((2 * Math.PI * hz * i) / from)),
    to,
    4096,
  )
  const samples = (out[0] as Float32Array).subarray(2000, -2000)
  const { amplitude, residual, power } = project(samples, (2 * Math.PI * hz) / to)
  const tone = (0.9 * 0.9 * samples.length) / 2
  return {
    gainDb: 20 * Math.log10(amplitude / 0.9),
    restDb: 10 * Math.log10(residual / tone),
    allDb: 10 * Math.log10((power + residual) / tone),
  }
}

const RATES: [number, number][] = [
  [48_000, 44_100],
  [44_100, 48_000],
  [48_000, 96_000],
  [96_000, 44_100],
  [192_000, 44_100],
  [44_100, 22_050],
  [12_345, 44_100],
  [44_100.5, 48_000],
]

describe('a result at another rate', () => {
  it.each(RATES)(
    'is flat within 0.01 dB and clean to −120 dB up to 0.45 of the lower rate, from %d to %d Hz',
    (from, to) => {
      for (const share of [0.001, 0.2, 0.45]) {
        const { gainDb, restDb } = heard(share * Math.min(from, to), from, to)
        expect(Math.abs(gainDb)).toBeLessThan(0.01)
        expect(restDb).toBeLessThan(-120)
      }
    },
  )

  it.each(RATES.filter(([from, to]) => from > to))(
    'lets nothing through that the lower rate cannot hold, from %d to %d Hz',
    (from, to) => {
      for (const share of [0.501, 0.53, 0.6, 0.9].filter((share) => share * to < from / 2))
        expect(heard(share * to, from, to).allDb).toBeLessThan(-120)
    },
  )

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
