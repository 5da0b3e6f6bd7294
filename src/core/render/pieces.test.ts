import { describe, expect, it } from 'vitest'
import { analyse } from '../analysis/analysis'
import { type AudioBlock, silence } from '../audio/block'
import { soundSource } from '../audio/soundSource'
import { methods } from '../methods/registry'
import { AS_WRITTEN, idealItems } from '../testing/ideals'
import { recipe } from '../testing/recipes'
import { block, sine } from '../testing/signals'
import { rms } from '../testing/tone'
import { asOutput, asSource } from '../timeline/axes'
import { straightMap } from '../timeline/timeMap'
import { openRendering } from './openVoice'
import { seamsOf } from './seams'

/** drums over chords, as if it were recorded at a quarter of its rate: four times as long, and quick to render */
const RATE = 12_000
const loop: AudioBlock = {
  sampleRate: RATE,
  channels: (idealItems.find(({ id }) => id === 'drums over chords')?.play(AS_WRITTEN).audio.channels ?? []).map(
    (channel) => channel.slice(0, 6 * RATE),
  ),
}
const known = analyse(loop, ['attacks', 'pitch'])

function read(audio: AudioBlock, order: ReturnType<typeof recipe>, from: number, to: number, blockFrames: number) {
  const { voice } = openRendering(audio, order, known)
  const out = silence(audio.channels.length, to - from)
  for (let at = from; at < to; at += blockFrames)
    voice.read(
      at,
      out.map((channel) => channel.subarray(at - from, Math.min(to, at + blockFrames) - from)),
    )
  return out
}

describe('a long result falls into pieces', () => {
  const long = recipe('vocoder', { stretch: 21 })
  const { seams, map } = openRendering(loop, long, known)

  it('right before an attack, none shorter than 20 seconds; a short one into none', () => {
    expect(seams.length).toBeGreaterThan(2)
    const all = [0, ...seams, map.outputFrames]
    all.slice(1).forEach((seam, n) => {
      expect(seam - (all[n] as number)).toBeGreaterThanOrEqual(20 * RATE)
    })
    for (const seam of seams) {
      const apart = (known.attacks ?? []).map(({ frame }) => map.outputAt(asSource(frame)) - seam)
      expect(Math.min(...apart.filter((frames) => frames > 0))).toBeLessThan(0.003 * RATE)
    }
    expect(openRendering(loop, recipe('vocoder', { stretch: 9.9 }), known).seams).toEqual([])
    expect(openRendering(loop, recipe('vocoder'), known).seams).toEqual([])
  })

  it('in silence where nothing attacks, nowhere in a tone that goes on, unless the method may begin anywhere or must not hold on', () => {
    const options = { anywhere: false }
    // swells of 7 seconds, silent for a quarter of one between
    const swells = block(RATE, 2, 90 * RATE, (i) => {
      const phase = (i / RATE / 7) % 1
      return phase > 0.96 ? 0 : 0.4 * Math.sin(Math.PI * phase) * Math.sin((2 * Math.PI * 220 * i) / RATE)
    })
    const cuts = seamsOf(soundSource(swells), straightMap(90 * RATE, 1.5), [], options)
    expect(cuts.length).toBeGreaterThan(1)
    for (const cut of cuts) expect(swells.channels[0]?.[Math.round(cut / 1.5)]).toBe(0)

    const tone = sine({ hz: 220, seconds: 200, sampleRate: RATE })
    const even = straightMap(200 * RATE, 1)
    expect(seamsOf(soundSource(tone), even, [], { ...options, mostSourceSeconds: 1000 })).toEqual([])
    expect(seamsOf(soundSource(tone), even, [], { anywhere: true }).length).toBeGreaterThan(3)
    const held = [0, ...seamsOf(soundSource(tone), even, [], { anywhere: false, mostSourceSeconds: 60 }), 200 * RATE]
    expect(held.length).toBeGreaterThan(3)
    held.slice(1).forEach((cut, n) => {
      expect(even.sourceAt(asOutput(cut)) - even.sourceAt(asOutput(held[n] as number))).toBeLessThanOrEqual(60 * RATE)
    })
  })

  for (const { id } of methods) {
    it(`each of which is the same whoever reads it, and however: ${id}`, { timeout: 60_000 }, () => {
      const order = recipe(id, { stretch: 13, pitchSemitones: id === 'varispeed' ? 0 : 2 })
      const { seams, map } = openRendering(loop, order, known)
      expect(seams.length).toBeGreaterThan(0)
      const seam = seams[0] as number
      const end = Math.min(map.outputFrames, seam + 2 * RATE)
      const across = read(loop, order, 0, end, 4096)
      // its own start, in other blocks
      const alone = read(loop, order, seam, end, 1777)
      alone.forEach((channel, c) => {
        expect(channel).toEqual(across[c]?.subarray(seam))
      })
    })
  }

  it('without a hole or a bump where they meet', () => {
    const order = recipe('vocoder', { stretch: 21 })
    const from = (seams[0] as number) - RATE
    const out = read(loop, order, from, from + 2 * RATE, 4096)
    const around = (at: number) =>
      rms((out[0] as Float32Array).subarray(RATE + at - 0.01 * RATE, RATE + at + 0.01 * RATE))
    // the 20 ms that lie over the seam, against those before and behind
    expect(around(-0.01 * RATE)).toBeGreaterThan(0.3 * Math.min(around(-0.04 * RATE), around(0.03 * RATE)))
    expect(around(-0.01 * RATE)).toBeLessThan(3 * Math.max(around(-0.04 * RATE), around(0.03 * RATE)))
  })
})
