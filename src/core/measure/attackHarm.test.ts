import { describe, expect, it } from 'vitest'
import { createRandom } from '../dsp/random'
import { finish } from '../task'
import { straightMap } from '../timeline/timeMap'
import type { ArtefactId } from './artefacts'
import { measureTask } from './measure'

const RATE = 48_000
const SECONDS = 4
const STROKES = 7

interface Played {
  readonly stretch: number
  /** from a stroke to the one right behind it, seconds */
  readonly gap: number
  readonly level: number
  /** whether the strokes right behind others are played, and how much later than they should be */
  readonly behind?: boolean
  readonly lateSeconds?: number
}

/** Strokes every half second; every other one has another right behind it. They die away alike, however far apart. */
function strokes({ stretch, gap, level, behind = true, lateSeconds = 0 }: Played) {
  const samples = new Float32Array(Math.round(SECONDS * RATE * stretch))
  const blow = (seed: number, at: number, height: number, dies: number) => {
    const random = createRandom(seed)
    const from = Math.round((at * stretch + lateSeconds) * RATE)
    for (let t = 0; t < 0.3 * RATE && from + t < samples.length; t++)
      samples[from + t] = (samples[from + t] as number) + 0.3 * height * Math.exp((-dies * t) / RATE) * (random() - 0.5)
  }
  for (let n = 0; n < STROKES; n++) {
    const at = 0.25 + 0.5 * n
    blow(n, at, 1, 90)
    if (n % 2 === 1 && behind) blow(100 + n, at + gap, level, 12)
  }
  const air = createRandom(99)
  return { sampleRate: RATE, channels: [samples.map((value) => value + 0.002 * (air() - 0.5))] }
}

function measured(source: Played, result: Played) {
  const { artefacts } = finish(
    measureTask({
      source: strokes(source),
      result: strokes(result),
      from: 0,
      map: straightMap(SECONDS * RATE, result.stretch),
      pitchRatioAt: () => 1,
      formantRatioAt: () => 1,
    }),
  )
  const of = (id: ArtefactId) => artefacts.find((one) => one.id === id)
  const worst = (id: ArtefactId) => Math.max(0, ...(of(id)?.places.map((place) => place.value) ?? []))
  return { lost: of('lost-attacks')?.value, smear: worst('smear'), slip: worst('slip') }
}

describe('strokes right behind others', () => {
  it('are neither lost nor dull where they lie as the map says, though they may be found as one', () => {
    for (const gap of [0.036, 0.04, 0.045]) {
      for (const stretch of [0.65, 0.8, 0.9]) {
        const { lost, smear, slip } = measured({ stretch: 1, gap, level: 1 }, { stretch, gap, level: 1 })
        expect(lost, `${gap} s, ${stretch} ×`).toBe(0)
        expect(smear, `${gap} s, ${stretch} ×`).toBeLessThan(4)
        expect(slip, `${gap} s, ${stretch} ×`).toBeLessThan(1)
      }
    }
  })

  it('are lost where they are not played, and late where they come late', () => {
    const source = { stretch: 1, gap: 0.045, level: 1 }
    expect(measured(source, { ...source, stretch: 0.9, behind: false }).lost).toBeGreaterThan(25)
    expect(measured(source, { ...source, stretch: 0.9, lateSeconds: 0.012 }).slip).toBeGreaterThan(10)
  })
})
