import { describe, expect, it } from 'vitest'
import { detectAttacks } from '../analysis/attacks'
import { type AudioBlock, frameCount, silence } from '../audio/block'
import { soundSource } from '../audio/soundSource'
import { demoMakers } from '../demo/sounds'
import { createRandom } from '../dsp/random'
import { openRendering } from '../render/openVoice'
import type { Recipe } from '../render/recipe'
import { renderBlock } from '../render/renderTask'
import { finish } from '../task'
import { asShaped } from './asShaped'
import { type DrawnFilter, drawnDb, filterReach, fineHzOf, readFilter } from './drawnFilter'
import { filterSteps } from './filtered'
import { bandShape, combShape, passShape, peaksShape, tiltShape } from './filterShapes'
import { attacksLeft, prepareSteps } from './prepare'

const RATE = 48_000

function noise(frames: number, channelCount = 1): AudioBlock {
  const random = createRandom(7)
  const channels = silence(channelCount, frames)
  for (const channel of channels) for (let i = 0; i < frames; i++) channel[i] = random() - 0.5
  return { sampleRate: RATE, channels }
}

/** The gain at one frequency, by a plain sum over a filtered click: nothing of the filter's own transforms. */
function responseDb(click: Float32Array, hz: number): number {
  let [re, im] = [0, 0]
  for (let i = 0; i < click.length; i++) {
    const value = click[i] as number
    if (value === 0) continue
    const turn = (2 * Math.PI * hz * i) / RATE
    re += value * Math.cos(turn)
    im += value * Math.sin(turn)
  }
  return 10 * Math.log10(re * re + im * im)
}

function clickThrough(filter: DrawnFilter): Float32Array {
  const frames = 2 * filterReach(filter, RATE) + 3
  const channels = silence(1, frames)
  ;(channels[0] as Float32Array)[(frames - 1) / 2] = 1
  return finish(filterSteps({ sampleRate: RATE, channels }, filter)).channels[0] as Float32Array
}

const recipe = (over: Partial<Recipe>): Recipe => ({
  version: 1,
  stretch: 1,
  pitchSemitones: 0,
  formants: 'move',
  methodId: 'wsola',
  settings: {},
  seed: 1,
  ...over,
})

const greatest = (a: AudioBlock, b: AudioBlock) =>
  Math.max(
    ...a.channels.map((channel, c) =>
      channel.reduce((most, value, i) => Math.max(most, Math.abs(value - (b.channels[c]?.[i] ?? 0))), 0),
    ),
  )

describe('a drawn filter', () => {
  const drawn: Record<string, DrawnFilter> = {
    'by hand': {
      at: 'before',
      points: [
        { hz: 60, db: 12 },
        { hz: 200, db: -6 },
        { hz: 900, db: -60 },
        { hz: 4000, db: -20 },
        { hz: 9000, db: 6 },
      ],
    },
    low: { at: 'before', points: passShape('low', 1000) },
    band: { at: 'before', points: bandShape(300, 3000) },
    tilt: { at: 'before', points: tiltShape(-3) },
    comb: { at: 'before', points: combShape(220, 60), fineHz: 2 },
    peaks: { at: 'before', points: peaksShape(3, 6, 0.3), fineHz: 2 },
  }
  for (const [name, filter] of Object.entries(drawn)) {
    it(`answers within 0.5 dB of what was drawn: ${name}`, () => {
      const click = clickThrough(filter)
      const fine = fineHzOf(filter)
      let most = 0
      for (let hz = 50; hz < 18_000; hz *= 1.237) {
        // at a kink it rounds off within its own fineness; slopes steeper than that were not promised
        const around = [hz - fine, hz, hz + fine].map((at) => drawnDb(filter, at))
        if (Math.abs((around[0] as number) + (around[2] as number) - 2 * (around[1] as number)) > 1) continue
        most = Math.max(most, Math.abs(responseDb(click, hz) - drawnDb(filter, hz)))
      }
      expect(most).toBeLessThan(0.5)
    })
  }

  it('keeps what stands still where it is: nothing comes late', () => {
    const filter: DrawnFilter = { at: 'before', points: passShape('low', 4000) }
    const click = clickThrough(filter)
    const middle = (click.length - 1) / 2
    const most = click.reduce((best, value, i) => (value > (click[best] as number) ? i : best), 0)
    expect(most).toBe(middle)
  })

  it('gives the input back within −100 dB where it is flat, and the very samples where it is not asked to do anything', () => {
    const sound = noise(30_000, 2)
    const flat = finish(filterSteps(sound, { at: 'before', points: [{ hz: 100, db: 0 }], fineHz: 10 }))
    expect(greatest(flat, sound)).toBeLessThan(0.5e-5)
    const untouched = renderBlock(sound, recipe({ filter: { at: 'after', points: [{ hz: 100, db: 0 }] } }))
    expect(greatest(untouched, sound)).toBe(0)
  })

  it('is the same on the result as on the source where nothing is stretched, whatever the block length', () => {
    const sound = noise(40_000)
    const points = bandShape(500, 2000)
    const before = renderBlock(sound, recipe({ filter: { at: 'before', points } }))
    const after = renderBlock(sound, recipe({ filter: { at: 'after', points } }))
    expect(greatest(before, after)).toBeLessThan(1e-6)
    const { voice } = openRendering(sound, recipe({ stretch: 1.5, filter: { at: 'after', points } }))
    const whole = renderBlock(sound, recipe({ stretch: 1.5, filter: { at: 'after', points } }))
    const part = [new Float32Array(60_000)]
    for (let at = 0, n = 0; at < 60_000; n++) {
      const count = Math.min(60_000 - at, 1 + ((n * 977) % 3001))
      voice.read(
        at,
        part.map((channel) => channel.subarray(at, at + count)),
      )
      at += count
    }
    expect(greatest({ sampleRate: RATE, channels: part }, whole)).toBe(0)
  })

  it('says what is wrong with one that does not hold', () => {
    for (const text of ['', '{}', '[]', '[1]', '{"points":[{"hz":100}]}', '[{"hz":200,"db":0},{"hz":100,"db":0}]'])
      expect(() => readFilter(text, 'f.json', 'before'), text).toThrow(/filter\/json/)
    expect(() => readFilter('{"points":[{"hz":100,"db":0}],"fineHz":0.5}', 'f.json', 'after')).toThrow(/filter\/json/)
  })

  it('draws peaks the same for the same seed', () => {
    expect(peaksShape(5)).toEqual(peaksShape(5))
    expect(peaksShape(5)).not.toEqual(peaksShape(6))
  })
})

describe('a prepared sound', () => {
  const winch = (demoMakers['rope-winch'] as () => { audio: AudioBlock })().audio
  const attacks = finish(detectAttacks(winch))

  it('is the sound itself where every layer stays', () => {
    const same = renderBlock(winch, recipe({ prepare: { sinesDb: 0, without: [] } }))
    expect(greatest(same, winch)).toBe(0)
  })

  it('adds up: what one layer alone gives and what all others give is the sound, within −100 dB', () => {
    const alone = (prepare: object) => finish(prepareSteps(winch, attacks, prepare))
    const hits = alone({ sinesDb: -60, noiseDb: -60 })
    const others = alone({ attacksDb: -60 })
    const channels = hits.channels.map((channel, c) =>
      channel.map((value, i) => value + (others.channels[c]?.[i] as number)),
    )
    expect(greatest({ sampleRate: winch.sampleRate, channels }, winch)).toBeLessThan(1e-5)
  })

  it('takes out one attack and leaves all else, to the sample', () => {
    const gone = attacks[3] as (typeof attacks)[number]
    const next = attacks[4] as (typeof attacks)[number]
    const seconds = gone.frame / winch.sampleRate
    const without = finish(prepareSteps(winch, attacks, { without: [seconds] }))
    const energy = (sound: AudioBlock) => {
      const to = Math.min(next.frame - 200, gone.frame + 2000)
      return (sound.channels[0] as Float32Array).subarray(gone.frame, to).reduce((sum, value) => sum + value * value, 0)
    }
    expect(10 * Math.log10(energy(without) / energy(winch))).toBeLessThan(-10)
    const own = winch.channels[0] as Float32Array
    const left = without.channels[0] as Float32Array
    const isAround = (i: number) => i >= gone.frame - 0.005 * winch.sampleRate && i <= next.frame
    expect(own.findIndex((value, i) => !isAround(i) && value !== left[i])).toBe(-1)
    expect(attacksLeft(attacks, { without: [seconds] }, winch.sampleRate).length).toBe(attacks.length - 1)
  })

  it('is what a far stretch is made of: without hits no hit is left in it', () => {
    const far = renderBlock(winch, recipe({ stretch: 4, methodId: 'vocoder', prepare: { attacksDb: -60 } }))
    expect(frameCount(far)).toBe(4 * frameCount(winch))
    /** by how much it is louder in 50 ms from where attacks lie than in as much before, dB, on average */
    const rise = ({ channels: [samples] }: AudioBlock) => {
      const energy = (from: number) =>
        (samples as Float32Array).subarray(from, from + 2400).reduce((sum, value) => sum + value * value, 1e-9)
      const rises = attacks
        .map(({ frame }) => 4 * frame)
        .filter((at) => at > 2800)
        .map((at) => 10 * Math.log10(energy(at) / energy(at - 2800)))
      return rises.reduce((sum, value) => sum + value, 0) / rises.length
    }
    expect(rise(renderBlock(winch, recipe({ stretch: 4, methodId: 'vocoder' })))).toBeGreaterThan(10)
    expect(rise(far)).toBeLessThan(1)
  })

  it('is what measures hold a result against', () => {
    const source = soundSource(winch)
    const by = { prepare: { attacksDb: -60 } }
    const heard = asShaped(source, { attacks }, by)
    expect(heard.analysis.attacks).toEqual([])
    const whole = heard.source.part(0, source.frames)
    expect(greatest(whole, renderBlock(winch, recipe(by)))).toBeLessThan(1e-6)
    expect(asShaped(source, { attacks }, {})).toEqual({ source, analysis: { attacks } })
  })
})
