import { describe, expect, it } from 'vitest'
import { detectAttacks } from '../analysis/attacks'
import { type AudioBlock, frameCount } from '../audio/block'
import { renderBlock } from '../render/renderTask'
import { finish } from '../task'
import { recipe } from '../testing/recipes'
import { chord, clicks, noise } from '../testing/signals'
import { straightMap } from '../timeline/timeMap'
import { harmOf, isClose, rankTrials, reasonOf } from './advice'
import { tellingSpan } from './excerpt'
import { renderSpan, trialTask } from './trial'

const RATE = 48_000
const hits = clicks({ at: [0.2, 0.5, 0.8, 1.1, 1.4, 1.7, 2.0, 2.3, 2.6], seconds: 3 })
const whole = (source: AudioBlock, stretch: number) => ({ from: 0, to: Math.round(frameCount(source) * stretch) })

/** One after the other, mono. */
const joined = (...parts: AudioBlock[]): AudioBlock => {
  const length = parts.reduce((sum, part) => sum + frameCount(part), 0)
  const samples = new Float32Array(length)
  let at = 0
  for (const part of parts) {
    samples.set(part.channels[0] as Float32Array, at)
    at += frameCount(part)
  }
  return { sampleRate: RATE, channels: [samples] }
}

describe('a telling part', () => {
  it('is all of a short result', () => {
    expect(tellingSpan(hits, straightMap(frameCount(hits), 1.5), [], 8)).toEqual({
      from: 0,
      to: 1.5 * frameCount(hits),
    })
  })

  it('has the attacks, the tones and the noise, not the silence before them', () => {
    const silence: AudioBlock = { sampleRate: RATE, channels: [new Float32Array(6 * RATE)] }
    const source = joined(silence, hits, chord({ hz: [220, 330], seconds: 2 }), noise({ seconds: 1, seed: 2 }), silence)
    const attacks = finish(detectAttacks(source)).map(({ frame }) => frame)
    for (const stretch of [0.8, 1, 2]) {
      const seconds = 5 * stretch
      const span = tellingSpan(source, straightMap(frameCount(source), stretch), attacks, seconds)
      expect(span.to - span.from).toBe(Math.round(seconds * RATE))
      expect(span.from / stretch / RATE).toBeGreaterThan(5)
      expect(span.to / stretch / RATE).toBeLessThan(13)
    }
  })
})

describe('a trial', () => {
  it('renders the very samples of the whole result, for a method that can begin anywhere', () => {
    const made = recipe('splice', { stretch: 1.3 })
    const all = renderBlock(hits, made)
    const part = finish(renderSpan(hits, made, { from: 50_000, to: 90_000 }, { attacks: finish(detectAttacks(hits)) }))
    expect(part.channels[0]).toEqual(all.channels[0]?.subarray(50_000, 90_000))
  })

  it('measures a part as it measures the whole, with places in the whole source', () => {
    const long = joined(hits, hits, hits)
    const all = finish(trialTask(long, recipe('grain', { stretch: 2 }), whole(long, 2)))
    const span = { from: 6 * RATE, to: 12 * RATE }
    const part = finish(trialTask(long, recipe('grain', { stretch: 2 }), span))
    const smears = (trial: typeof all) => trial.measurement.artefacts.find(({ id }) => id === 'smear')?.places ?? []
    expect(smears(part).length).toBeGreaterThan(5)
    for (const place of smears(part)) {
      expect(place.outputFrame).toBeGreaterThanOrEqual(span.from)
      expect(place.outputFrame).toBeLessThan(span.to)
      const same = smears(all).find(({ sourceFrame }) => Math.abs(sourceFrame - place.sourceFrame) < 48)
      expect(same?.value ?? -1).toBeCloseTo(place.value, 0)
    }
  })
})

describe('a part cut out of a result', () => {
  it('shows no harm that comes of the cut: a tone that goes on before and behind it has no click and nothing stray', () => {
    const tone = chord({ hz: [220, 331, 1760], seconds: 6 })
    for (const at of [72_000, 105_611]) {
      const { measurement } = finish(
        trialTask(tone, recipe('vocoder', { stretch: 1.1 }), { from: at, to: at + 3 * RATE }),
      )
      const figure = (id: string) => measurement.artefacts.find((artefact) => artefact.id === id)?.value ?? 0
      expect(figure('clicks')).toBe(0)
      expect(figure('aliasing')).toBeLessThan(20)
      expect(figure('extra-attacks')).toBe(0)
      expect(figure('level')).toBeLessThan(0.2)
    }
  })
})

describe('advice', () => {
  const trialOf = (methodId: string, stretch = 1.5) => ({
    methodId,
    trial: finish(trialTask(hits, recipe(methodId, { stretch }), whole(hits, stretch))),
  })

  it('puts what keeps hits whole before what smears them, and says so in figures', () => {
    const ranked = rankTrials([trialOf('drift'), trialOf('splice'), trialOf('grain')])
    expect(ranked[0]?.methodId).toBe('splice')
    expect(ranked.map(({ harm }) => harm)).toEqual([...ranked.map(({ harm }) => harm)].sort((a, b) => a - b))
    expect(ranked[0]?.close).toBe(true)
    expect(ranked.at(-1)?.close).toBe(false)
    const best = ranked[0]?.trial.measurement as Parameters<typeof reasonOf>[0]
    expect(reasonOf(best, ranked[1]?.trial.measurement)).toMatch(/^9 of 9 attacks tried, none repeated/)
    const worst = ranked.at(-1)?.trial.measurement as Parameters<typeof reasonOf>[0]
    expect(reasonOf(worst, best)).toMatch(/\d/)
  })

  it('says that results are close when they are the same', () => {
    const one = trialOf('wsola', 1.1)
    const ranked = rankTrials([one, { ...one, methodId: 'twin' }])
    expect(ranked.every(({ close }) => close)).toBe(true)
  })

  it('tells one in which harm is heard from one in which none is, however near their numbers are', () => {
    const { trial } = trialOf('splice', 1)
    const withClicks = (methodId: string, value: number) => ({
      methodId,
      trial: {
        ...trial,
        measurement: {
          ...trial.measurement,
          unlikenessDb: 3,
          artefacts: trial.measurement.artefacts.map((one) => (one.id === 'clicks' ? { ...one, value } : one)),
        },
      },
    })
    const ranked = rankTrials([withClicks('clicking', 1), withClicks('clean', 0), withClicks('twin', 0)])
    expect(isClose(ranked[2]?.harm as number, ranked[0]?.harm as number)).toBe(true)
    expect(ranked.map(({ methodId, close }) => [methodId, close])).toEqual([
      ['clean', true],
      ['twin', true],
      ['clicking', false],
    ])
    const heard = rankTrials([withClicks('clicking', 1), withClicks('twin', 1)])
    expect(heard.every(({ close }) => close)).toBe(true)
  })

  it('counts no harm on the source itself', () => {
    const same = finish(trialTask(hits, recipe('splice'), whole(hits, 1)))
    expect(harmOf(same.measurement)).toBeLessThan(0.05)
  })
})
