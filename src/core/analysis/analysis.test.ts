import { describe, expect, it } from 'vitest'
import { type AudioBlock, frameCount, peakOf, silence } from '../audio/block'
import { finish } from '../task'
import { AS_WRITTEN, IDEAL_RATE, type Ideal, idealItems } from '../testing/ideals'
import { pairAttacks } from '../testing/judge'
import { drawnItem } from '../testing/scores'
import { block, noise, sine } from '../testing/signals'
import { rms } from '../testing/tone'
import { analyse } from './analysis'
import { detectAttacks } from './attacks'
import { createLayers } from './layers'
import { usualGapMs } from './material'
import { createPitchMarks } from './pitchMarks'
import { trackPitch } from './pitchTrack'

const played = (id: string): Ideal =>
  (idealItems.find((item) => item.id === id) as (typeof idealItems)[number]).play(AS_WRITTEN)
const find = (audio: AudioBlock, sensitivity?: number) =>
  finish(detectAttacks(audio, sensitivity === undefined ? {} : { sensitivity })).map((a) => a.frame / audio.sampleRate)

/** Two sounds over each other, the second at a level against the first's. */
function over(a: AudioBlock, b: AudioBlock, db: number): AudioBlock {
  const level = (audio: AudioBlock) => rms(audio.channels[0] as Float32Array)
  const gain = (level(a) / level(b)) * 10 ** (db / 20)
  return {
    sampleRate: a.sampleRate,
    channels: a.channels.map((channel, c) => channel.map((v, i) => 0.5 * (v + gain * (b.channels[c]?.[i] ?? 0)))),
  }
}

describe('the attack detector', () => {
  it.each([0.3, 1, 2.37])('takes neither end of a steady sound of %d s that was cut out for an attack', (seconds) => {
    for (const sampleRate of [8000, 48_000]) expect(find(sine({ hz: 440, seconds, sampleRate }))).toEqual([])
    expect(find(noise({ seconds, seed: 9 }))).toEqual([])
  })

  it('finds what was played, to the frame, alone and over beds at -12 to +12 dB', () => {
    const beds = ['chord', 'rain'].map((id) => played(id).audio)
    let hits = 0
    let wanted = 0
    let found = 0
    const slips: number[] = []
    const judge = (audio: AudioBlock, truth: readonly number[]) => {
      const got = find(audio)
      const pairs = pairAttacks(got, truth, 0.025)
      hits += pairs.slips.length
      wanted += truth.length
      found += got.length
      slips.push(...pairs.slips.map((s) => Math.abs(s) * 1000))
    }
    for (const id of ['drums', 'castanets', 'arpeggio', 'voice', 'bass', 'drums over chords']) {
      const { audio, attacks } = played(id)
      judge(audio, attacks)
    }
    for (const id of ['drums', 'castanets']) {
      const { audio, attacks } = played(id)
      for (const [n, bed] of beds.entries()) {
        // the bed's own beginning is an attack too
        const own = n === 0 ? [0.2] : []
        const truth = [...attacks.filter((t) => n > 0 || Math.abs(t - 0.2) > 0.025), ...own].sort((x, y) => x - y)
        for (const db of n === 0 ? [-12, 0, 12] : [-12, 0]) judge(over(audio, bed, db), truth)
      }
    }
    const precision = hits / found
    const recall = hits / wanted
    const f = (2 * precision * recall) / (precision + recall)
    slips.sort((a, b) => a - b)
    expect(slips[slips.length >> 1]).toBeLessThan(1)
    expect(f).toBeGreaterThan(0.9)
  })

  it('finds nothing in silence, a constant and a steady tone, and does not mind the level', () => {
    expect(find({ sampleRate: 48_000, channels: silence(2, 48_000) })).toEqual([])
    const steady = sine({ hz: 440, seconds: 2 })
    expect(find(steady).filter((t) => t > 0.05 && t < 1.9)).toEqual([])
    const { audio } = played('castanets')
    const quiet = { ...audio, channels: audio.channels.map((channel) => channel.map((v) => v * 0.001)) }
    expect(find(quiet).length).toBe(find(audio).length)
  })

  it('finds the stroke of what rings from its first frame, and none in a bed that was cut out of something', () => {
    const tones = (levelAt: (t: number) => number) =>
      block(48_000, 2, 4 * 48_000, (i, c) => {
        const t = i / 48_000
        return 0.3 * levelAt(t) * (Math.sin(2 * Math.PI * 311 * t + c) + 0.5 * Math.sin(2 * Math.PI * 628 * t + c))
      })
    expect(find(tones((t) => Math.exp(-0.7 * t)))).toEqual([0])
    expect(find(tones(() => 1))).toEqual([])
    expect(find(tones((t) => 1 + 0.3 * Math.sin(3 * t)))).toEqual([])
  })

  it('finds overdriven hits, and more of them the more sensitive it is', () => {
    const { audio, attacks } = played('drums')
    const driven = { ...audio, channels: audio.channels.map((channel) => channel.map((v) => Math.tanh(12 * v))) }
    const { lost } = pairAttacks(find(driven), attacks, 0.025)
    expect(lost).toBeLessThanOrEqual(2)
    const counts = [0, 0.25, 0.5, 0.75, 1].map((s) => find(audio, s).length)
    for (let i = 1; i < counts.length; i++) expect(counts[i]).toBeGreaterThanOrEqual(counts[i - 1] as number)
    expect(counts[4]).toBeGreaterThan(counts[0] as number)
  })

  it('works at any rate and channel count, on very short sounds, and says the same twice', () => {
    for (const [rate, channels] of [
      [8000, 1],
      [192_000, 3],
    ] as const) {
      const clicks = block(rate, channels, rate, (i) => (i % (rate / 4) < rate / 400 ? Math.sin(i) : 0))
      const found = find(clicks)
      expect(found.length).toBeGreaterThanOrEqual(4)
      for (const t of [0.25, 0.5, 0.75]) expect(Math.min(...found.map((f) => Math.abs(f - t)))).toBeLessThan(0.002)
    }
    for (const frames of [0, 1, 2, 100]) find(block(48_000, 1, frames, (i) => i % 2))
    const { audio } = played('drums')
    expect(find(audio)).toEqual(find(audio))
  })
})

describe('the pitch track', () => {
  it.each([
    ['glide', 6],
    ['voice', 4],
    ['bass', 2],
  ])('follows %s: no octave taken for another, cents close', (id, withinCents) => {
    const { audio, f0At } = played(id)
    const track = finish(trackPitch(audio))
    const errors: number[] = []
    let gross = 0
    track.hz.forEach((hz, n) => {
      const t = (n * track.hopFrames) / IDEAL_RATE
      const f0 = f0At as (t: number) => number
      if (f0(t) === 0 || f0(t - 0.03) === 0 || f0(t + 0.03) === 0) return
      const off = hz > 0 ? Math.abs(1200 * Math.log2(hz / f0(t))) : 1200
      if (off > 50) gross++
      else errors.push(off)
    })
    errors.sort((a, b) => a - b)
    expect(errors[errors.length >> 1]).toBeLessThan(withinCents)
    expect(gross / (gross + errors.length)).toBeLessThan(0.03)
  })

  it.each([
    ['cry', [1, 5, 7, 8]],
    ['chirp', [1, 2, 3]],
  ] as const)('follows how fast soever %s glides, and as high', (kind, numbers) => {
    for (const number of numbers) {
      const { audio, f0At } = drawnItem(kind, number).play(AS_WRITTEN)
      const track = finish(trackPitch(audio))
      const f0 = f0At as (t: number) => number
      // at their ends calls are shorter than a step of the track
      const sung = [...track.hz].flatMap((hz, n) => {
        const at = (n * track.hopFrames) / audio.sampleRate
        const within = [-0.03, 0, 0.03].every((by) => f0(at + by) > 0)
        return within ? [Math.abs(1200 * Math.log2((hz || 1) / f0(at)))] : []
      })
      expect(sung.length).toBeGreaterThan(20)
      expect(sung.filter((off) => off > 50).length / sung.length, `${kind} ${number}`).toBeLessThan(0.03)
    }
  })

  it('says there is none in noise, in silence and in a click', () => {
    for (const audio of [noise({ seconds: 1, seed: 5 }), { sampleRate: 48_000, channels: silence(1, 24_000) }]) {
      const track = finish(trackPitch(audio))
      expect(track.hz.filter((hz) => hz > 0).length / track.hz.length).toBeLessThan(0.05)
    }
  })

  it('has its marks one period apart', () => {
    const tone = block(
      48_000,
      1,
      48_000,
      (i) => [1, 2, 3].reduce((s, n) => s + Math.sin((2 * Math.PI * n * 187.3 * i) / 48_000) / n, 0) / 3,
    )
    const marks = createPitchMarks(tone, finish(trackPitch(tone)))
    const run = marks.run(marks.runAt(24_000))
    const steps = [...run.marks].slice(1).map((mark, i) => mark - (run.marks[i] as number))
    for (const step of steps.slice(2, -2)) expect(Math.abs(step - 48_000 / 187.3)).toBeLessThan(0.05)
    expect(run.marks.length).toBeGreaterThan(170)
  })
})

describe('the layers', () => {
  it('add up to the source, whatever part is asked for first, and are the same in any order', () => {
    const { audio, attacks } = played('drums over chords')
    const frames = attacks.map((t) => Math.round(t * IDEAL_RATE))
    const whole = createLayers(audio, frames)
    whole.ensure(0, frameCount(audio))
    const parts = createLayers(audio, frames)
    for (const from of [120_000, 3000, 50_000, 0]) parts.ensure(from, Math.min(frameCount(audio), from + 90_000))
    let apart = 0
    for (let c = 0; c < 2; c++) {
      const own = audio.channels[c] as Float32Array
      const layers = [whole.sines, whole.attacks, whole.noise].map((layer) => layer.channels[c] as Float32Array)
      for (let i = 0; i < own.length; i++) {
        const sum = layers.reduce((s, layer) => s + (layer[i] as number), 0)
        apart = Math.max(apart, Math.abs(sum - (own[i] as number)))
      }
      expect((parts.sines.channels[c] as Float32Array).slice(0, 200_000)).toEqual(layers[0]?.slice(0, 200_000))
    }
    expect(20 * Math.log10(apart / peakOf(audio.channels))).toBeLessThan(-100)
  })

  it('put a chord into the tones, hits into the attacks and rain into the noise', () => {
    const share = (id: string, layer: 'sines' | 'attacks' | 'noise') => {
      const { audio, attacks } = played(id)
      const layers = createLayers(
        audio,
        attacks.map((t) => Math.round(t * IDEAL_RATE)),
      )
      layers.ensure(0, frameCount(audio))
      return (rms(layers[layer].channels[0] as Float32Array) / rms(audio.channels[0] as Float32Array)) ** 2
    }
    expect(share('chord', 'sines')).toBeGreaterThan(0.95)
    expect(share('castanets', 'attacks')).toBeGreaterThan(0.7)
    expect(share('rain', 'noise')).toBeGreaterThan(0.9)
  })

  it('have nothing of a hit before it, where the source is silent by then', () => {
    const { audio, attacks } = played('castanets')
    const frames = attacks.map((at) => Math.round(at * IDEAL_RATE))
    const layers = createLayers(audio, frames)
    layers.ensure(0, frameCount(audio))
    const energy = (of: AudioBlock, from: number, to: number) => {
      let sum = 0
      for (const at of frames.slice(1))
        for (const channel of of.channels)
          for (let i = at + Math.round(from * IDEAL_RATE); i < at + to * IDEAL_RATE; i++)
            sum += (channel[i] as number) ** 2
      return sum
    }
    const hits = energy(audio, 0, 0.03)
    expect(10 * Math.log10(energy(layers.sines, -0.03, -0.002) / hits)).toBeLessThan(-50)
  })

  it('add up in power where that is asked for, in what is neither wholly one nor the other', () => {
    // a note that shakes is partly a partial, partly noise
    const shaking = block(IDEAL_RATE, 1, 2 * IDEAL_RATE, (frame) => {
      const t = frame / IDEAL_RATE
      return 0.4 * Math.sin(2 * Math.PI * 700 * t + 9 * Math.sin(2 * Math.PI * 6 * t))
    })
    const ratioDb = (addUpIn: 'amplitude' | 'power') => {
      const layers = createLayers(shaking, [], addUpIn)
      layers.ensure(0, frameCount(shaking))
      const power = (of: AudioBlock) => rms((of.channels[0] as Float32Array).slice(20_000, -20_000)) ** 2
      const sum = power(layers.sines) + power(layers.attacks) + power(layers.noise)
      return 10 * Math.log10(sum / power(shaking))
    }
    expect(ratioDb('amplitude')).toBeLessThan(-1)
    expect(Math.abs(ratioDb('power'))).toBeLessThan(0.6)
  })
})

describe('analyse', () => {
  it('finds out what is asked for, once, and leaves what is known', () => {
    const { audio } = played('castanets')
    const first = analyse(audio, ['attacks'])
    expect(first.pitch).toBeUndefined()
    expect(analyse(audio, ['attacks']).attacks).toBe(first.attacks)
    const known = { attacks: [{ frame: 7, strength: 1 }] }
    expect(analyse(audio, ['attacks'], known)).toEqual(known)
    expect(analyse(audio, ['pitch']).pitch?.hz.length).toBeGreaterThan(100)
  })

  it('tells the usual gap between attacks, by time and not by count', () => {
    const at = (...frames: number[]) => ({ attacks: frames.map((frame) => ({ frame, strength: 1 })) })
    expect(usualGapMs(at(0, 48_000, 96_000, 97_000, 98_000, 144_000), 48_000)).toBeGreaterThan(900)
    expect(usualGapMs(at(0, 48_000), 48_000)).toBeUndefined()
  })
})
