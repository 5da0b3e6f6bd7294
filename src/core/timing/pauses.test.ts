import { describe, expect, it } from 'vitest'
import { addLevels, emptyLevels } from '../audio/levels'
import { soundSource } from '../audio/soundSource'
import { demoMakers } from '../demo/sounds'
import { createRandom } from '../dsp/random'
import { openRendering } from '../render/openVoice'
import type { Recipe } from '../render/recipe'
import { fillByPauses, PAUSE_RANGE, type Pause, pausesOf } from './pauses'
import { speedMap } from './speedCurve'

const RATE = 48_000
const line = (demoMakers['guide-line'] as NonNullable<(typeof demoMakers)[string]>)().audio

function pausesIn(audio: typeof line): Pause[] {
  const levels = emptyLevels(soundSource(audio))
  addLevels(levels, 0, audio.channels)
  return pausesOf(levels, audio.sampleRate)
}

/** Words of noise at known places, over a floor so far below them. */
function words(places: readonly (readonly [number, number])[], seconds: number, floorDb: number) {
  const random = createRandom(4)
  const own = Float32Array.from({ length: seconds * RATE }, (_, i) => {
    const isSaid = places.some(([from, to]) => i / RATE >= from && i / RATE < to)
    return (isSaid ? 0.3 : 0.3 * 10 ** (floorDb / 20)) * (2 * random() - 1)
  })
  return { sampleRate: RATE, channels: [own] }
}

describe('pauses', () => {
  const places = [
    [0.4, 1.1],
    [1.2, 1.9],
    [2.5, 3.4],
  ] as const
  it('are where nothing is said, whatever lies below, and leave room around words', () => {
    for (const floorDb of [-90, -45, -36]) {
      const found = pausesIn(words(places, 4, floorDb))
      // the tenth of a second between two words is no pause
      expect([floorDb, found.length]).toEqual([floorDb, 3])
      const gaps = [
        [0, 0.4],
        [1.9, 2.5],
        [3.4, 4],
      ] as const
      found.forEach(({ start, end }, n) => {
        const [from, to] = gaps[n] as readonly [number, number]
        expect(start / RATE).toBeGreaterThanOrEqual(from)
        expect(end / RATE).toBeLessThanOrEqual(to)
        expect((end - start) / RATE).toBeGreaterThan(to - from - 0.13)
      })
    }
  })
  it('are none in what sounds all the time', () => {
    expect(pausesIn(words([[0, 3]], 3, -60))).toEqual([])
  })
})

describe('a slot that is filled by pauses', () => {
  const frames = line.channels[0]?.length ?? 0
  const pauses = pausesIn(line)
  it('is filled to the frame, words at their own speed as far as pauses can give way', () => {
    expect(pauses.length).toBeGreaterThan(1)
    for (const seconds of [5.2, 5.5, 5.81, 6, 6.4, 7.013, 9, 3]) {
      const slot = Math.round(seconds * RATE)
      const { points, words: said, pauses: silent } = fillByPauses(pauses, frames, slot, RATE)
      const map = speedMap({ points }, frames, RATE)
      expect([seconds, map.outputFrames]).toEqual([seconds, slot])
      expect(silent).toBeGreaterThanOrEqual(PAUSE_RANGE.min)
      expect(silent).toBeLessThanOrEqual(PAUSE_RANGE.max)
      // words only give way where pauses are at their end
      if (said !== 1) expect(silent).toBe(said > 1 ? PAUSE_RANGE.max : PAUSE_RANGE.min)
    }
  })
  it('leaves what is said as it is, sample for sample, by every method that is asked', () => {
    const { points, words: said } = fillByPauses(pauses, frames, 6 * RATE, RATE)
    expect(said).toBe(1)
    const first = pauses[0] as Pause
    const second = pauses[1] as Pause
    for (const methodId of ['wsola', 'vocoder']) {
      const recipe = {
        version: 1,
        stretch: 1,
        pitchSemitones: 0,
        formants: 'move',
        methodId,
        settings: {},
        seed: 1,
        speedCurve: { points },
      } as Recipe
      const { voice, map } = openRendering(line, recipe)
      const [from, to] = [first.end + 2400, second.start - 2400]
      const at = Math.round(map.outputAt(from as never))
      const made = [new Float32Array(to - from), new Float32Array(to - from)]
      voice.read(at, made)
      expect(made[0]).toEqual((line.channels[0] as Float32Array).subarray(from, to))
    }
  })
  it('without pauses is filled evenly', () => {
    const { points, words: said } = fillByPauses([], 1000, 1250, RATE)
    expect(said).toBe(1.25)
    expect(points.map(({ percent }) => percent)).toEqual([80, 80])
  })
})
