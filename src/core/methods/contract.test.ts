import { describe, expect, it } from 'vitest'
import { type AudioBlock, frameCount, peakOf, silence } from '../audio/block'
import { createRandom } from '../dsp/random'
import { openRendering } from '../render/openVoice'
import { renderBlock } from '../render/renderTask'
import { recipe } from '../testing/recipes'
import { block, chord, noise, sine } from '../testing/signals'
import { rms } from '../testing/tone'
import { methods } from './registry'

const SEED = 20_261_124
const conditions = [
  { stretch: 0.5, pitchSemitones: 0 },
  { stretch: 1.37, pitchSemitones: 3.5 },
  { stretch: 4, pitchSemitones: 12 },
]

function bytesOf(audio: AudioBlock): Buffer {
  return Buffer.concat(audio.channels.map((c) => Buffer.from(c.buffer, c.byteOffset, c.byteLength)))
}

function largestStep(audio: AudioBlock): number {
  let most = 0
  for (const channel of audio.channels) {
    for (let i = 1; i < channel.length; i++) {
      most = Math.max(most, Math.abs((channel[i] as number) - (channel[i - 1] as number)))
    }
  }
  return most
}

/** Read a rendering in blocks of uneven length, from `from` to its end. */
function readInBlocks(audio: AudioBlock, r: ReturnType<typeof recipe>, random: () => number, from = 0): AudioBlock {
  const { map, voice } = openRendering(audio, r)
  const whole = silence(audio.channels.length, map.outputFrames - from)
  for (let at = from; at < map.outputFrames; ) {
    const frames = Math.min(map.outputFrames - at, 1 + Math.floor(random() * 3000))
    voice.read(
      at,
      whole.map((channel) => channel.subarray(at - from, at - from + frames)),
    )
    at += frames
  }
  return { sampleRate: audio.sampleRate, channels: whole }
}

describe.each(methods.map((method) => [method.id, method] as const))('%s', (id, method) => {
  const material = chord({ hz: [220, 277.2, 329.6, 1318], seconds: 0.4 })

  it('returns the source bit for bit at stretch 1 and pitch 0', () => {
    const source = noise({ seconds: 0.3, seed: SEED, channels: 3 })
    expect(bytesOf(renderBlock(source, recipe(id))).equals(bytesOf(source))).toBe(true)
  })

  it.each(conditions)('has exactly the mapped length at %o', (condition) => {
    const frames = frameCount(renderBlock(material, recipe(id, condition)))
    const stretch = method.tiesPitchToSpeed
      ? condition.stretch / 2 ** (condition.pitchSemitones / 12)
      : condition.stretch
    expect(frames).toBe(Math.round(frameCount(material) * stretch))
  })

  it.each(conditions.slice(1))('turns silence into silence at %o', (condition) => {
    const quiet = { sampleRate: 48_000, channels: silence(2, 12_000) }
    expect(peakOf(renderBlock(quiet, recipe(id, { ...condition, formants: 'keep' })).channels)).toBe(0)
  })

  it.each(conditions)('gives the same bytes in one pass and in blocks of any size at %o', (condition) => {
    const r = recipe(id, { ...condition, seed: 99 })
    const random = createRandom(SEED)
    expect(bytesOf(readInBlocks(material, r, random)).equals(bytesOf(renderBlock(material, r)))).toBe(true)
  })

  it('gives the same bytes for the same seed, with every option in use', () => {
    const r = recipe(id, { stretch: 1.7, pitchSemitones: 4, formants: 'keep', seed: 5 })
    expect(bytesOf(renderBlock(material, r)).equals(bytesOf(renderBlock(material, r)))).toBe(true)
  })

  it('gives the same samples for the same seek, and the straight ones where it says so', () => {
    const r = recipe(id, { stretch: 1.5, pitchSemitones: -3 })
    const random = createRandom(SEED)
    const from = 11_111
    const once = readInBlocks(material, r, random, from)
    const again = readInBlocks(material, r, random, from)
    expect(bytesOf(again).equals(bytesOf(once))).toBe(true)
    const straight = renderBlock(material, r).channels.map((channel) => channel.slice(from))
    const levelDb = 20 * Math.log10(rms(once.channels[0] as Float32Array) / rms(straight[0] as Float32Array))
    expect(Math.abs(levelDb)).toBeLessThan(1)
    if (method.exactSeek) expect(bytesOf({ sampleRate: 1, channels: straight }).equals(bytesOf(once))).toBe(true)
  })

  it('keeps channels that are alike alike, and a silent channel silent', () => {
    const mono = noise({ seconds: 0.4, seed: 3 }).channels[0] as Float32Array
    const source = { sampleRate: 48_000, channels: [mono, mono, new Float32Array(mono.length)] }
    const out = renderBlock(source, recipe(id, { stretch: 1.3, pitchSemitones: 2 })).channels
    let apart = 0
    for (let i = 0; i < (out[0]?.length ?? 0); i++) {
      apart = Math.max(apart, Math.abs((out[0]?.[i] as number) - (out[1]?.[i] as number)))
    }
    // transforms carry two channels at once and round differently in each
    expect(apart).toBeLessThan(1e-6)
    expect(peakOf([out[2] as Float32Array])).toBeLessThan(1e-6)
  })

  it.each([
    ['one sample', block(48_000, 1, 1, () => 0.5)],
    ['very short', noise({ seconds: 0.003, seed: 4 })],
    ['8 kHz', sine({ hz: 440, seconds: 0.3, sampleRate: 8000 })],
    ['192 kHz with 8 channels', sine({ hz: 440, seconds: 0.01, sampleRate: 192_000, channels: 8 })],
    ['a constant', block(44_100, 1, 9000, () => 0.7)],
  ])('stays finite and at a sane level on %s', (_, source) => {
    for (const condition of [
      { stretch: 1.37, pitchSemitones: 3.5 },
      { stretch: 15, pitchSemitones: 0 },
      { stretch: 0.1, pitchSemitones: 36 },
    ]) {
      const out = renderBlock(source, recipe(id, { ...condition, formants: 'keep' }))
      const peak = peakOf(out.channels)
      expect(Number.isFinite(peak)).toBe(true)
      // formants kept over six octaves may pile a whole frame up in one place
      expect(peak).toBeLessThan(9 * peakOf(source.channels))
    }
  })

  it('follows a map with ramps and a freeze, and a pitch line that moves, to the frame and in blocks of any size', () => {
    const r = recipe(id, {
      map: [
        { sourceSeconds: 0, outputSeconds: 0, curve: 'line' },
        { sourceSeconds: 0.1, outputSeconds: 0.15, curve: 'linear' },
        { sourceSeconds: 0.25, outputSeconds: 0.3, curve: 'line' },
        { sourceSeconds: 0.25, outputSeconds: 0.4, curve: 'log', speed: 0.6 },
        { sourceSeconds: 0.4, outputSeconds: 0.55 },
      ],
      pitchLine: [
        { outputSeconds: 0.1, semitones: -4 },
        { outputSeconds: 0.5, semitones: 7 },
      ],
      holdPercent: 70,
    })
    const whole = renderBlock(material, r)
    if (!method.tiesPitchToSpeed) expect(frameCount(whole)).toBe(Math.round(0.55 * 48_000))
    expect(bytesOf(readInBlocks(material, r, createRandom(SEED))).equals(bytesOf(whole))).toBe(true)
    expect(Number.isFinite(peakOf(whole.channels))).toBe(true)
    expect(peakOf(whole.channels)).toBeLessThan(4 * peakOf(material.channels))
    // nothing jumps further than the material itself can, pitch and overlap allowed for
    expect(largestStep(whole)).toBeLessThan(6 * largestStep(material))
  })

  it('gives a finite result at a sane level for any map, pitch, seed and settings', () => {
    const random = createRandom(SEED + 1)
    const source = noise({ seconds: 0.25, seed: 6 })
    for (let round = 0; round < 4; round++) {
      const settings: Record<string, number | string> = {}
      for (const [name, setting] of Object.entries(method.settings)) {
        if (setting.type === 'number') settings[name] = setting.min + (setting.max - setting.min) * random() * random()
        else settings[name] = setting.options[Math.floor(random() * setting.options.length)]?.value as string
      }
      const out = renderBlock(
        source,
        recipe(id, {
          stretch: 0.1 + 6 * random() * random(),
          pitchSemitones: Math.round(48 * random() - 24),
          formants: (['move', 'keep', 'shift'] as const)[round % 3] as 'move',
          formantSemitones: 10 * random() - 5,
          holdPercent: 100 * random(),
          seed: Math.floor(1e6 * random()),
          settings,
        }),
      )
      const peak = peakOf(out.channels)
      expect(Number.isFinite(peak), JSON.stringify(settings)).toBe(true)
      expect(peak, JSON.stringify(settings)).toBeLessThan(10 * peakOf(source.channels))
    }
  })

  it('leaves its source untouched', () => {
    const source = noise({ seconds: 0.2, seed: 8 })
    const before = bytesOf(source).toString('base64')
    renderBlock(source, recipe(id, { stretch: 2, pitchSemitones: 5 }))
    expect(bytesOf(source).toString('base64')).toBe(before)
  })

  it('declares settings whose defaults lie in range and whose extremes render', () => {
    for (const [name, setting] of Object.entries(method.settings)) {
      const values = setting.type === 'number' ? [setting.min, setting.max] : setting.options.map((o) => o.value)
      for (const value of values) {
        const out = renderBlock(material, recipe(id, { stretch: 1.2, settings: { [name]: value } }))
        expect(Number.isFinite(peakOf(out.channels)), `${name} ${value}`).toBe(true)
        // a layer that is turned all the way down leaves little of a tone
        expect(rms(out.channels[0] as Float32Array), `${name} ${value}`).toBeGreaterThan(0.005)
      }
    }
    expect(
      method.latencyFrames(Object.fromEntries(Object.entries(method.settings).map(([n, s]) => [n, s.default])), 48_000),
    ).toBeGreaterThan(0)
  })
})
