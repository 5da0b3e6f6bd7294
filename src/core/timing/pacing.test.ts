import { describe, expect, it } from 'vitest'
import { type AudioBlock, frameCount } from '../audio/block'
import { soundSource } from '../audio/soundSource'
import { RATE } from '../demo/instruments'
import { speak } from '../demo/speech'
import { createRandom } from '../dsp/random'
import { planOf } from '../render/openVoice'
import { renderBlock } from '../render/renderTask'
import { finish } from '../task'
import { recipe } from '../testing/recipes'
import { asSource } from '../timeline/axes'
import { type Giving, givingTask, pacedSpeed } from './pacing'
import { MOST_SPEED_POINTS, SPEED_RANGE, speedMap } from './speedCurve'

const LINES = ['D@toId klok ranz', '_ sevan ships kem in _ wid bels _', 'tek Da rop and pul it smuD _ _']

function spoken(line: string, hz: number, seed: number) {
  const { samples, sounds, attacks } = speak(line, hz, createRandom(seed))
  const audio: AudioBlock = { sampleRate: RATE, channels: [samples] }
  const giving = finish(givingTask(soundSource(audio)))
  return { audio, sounds, attacks, giving, seconds: samples.length / RATE }
}

const VOWELS = 'aeiIou'
const CONSONANTS = 'sSftkpdbgzv'

describe('speech pacing', () => {
  const all = LINES.map((line, n) => spoken(line, [115, 190, 240][n] as number, n + 1))

  it.each([0.7, 1.5, 2, 4, 10])(
    'at %d × lets vowels and pauses give way, and consonants keep nearly their length',
    (stretch) => {
      const ratios = { vowels: [] as number[], consonants: [] as number[], pauses: [] as number[] }
      for (const { audio, sounds, giving, seconds } of all) {
        const points = pacedSpeed(giving, seconds, stretch, 100)
        const { map } = planOf(recipe('wsola', { stretch, speedCurve: { points } }), {
          frames: frameCount(audio),
          sampleRate: RATE,
        })
        expect(map.outputFrames / (stretch * frameCount(audio))).toBeCloseTo(1, 4)
        const pausesFrom = (n: number) =>
          sounds[n]?.letter === '_' && (sounds[n - 1]?.letter === '_' || sounds[n + 1]?.letter === '_')
        sounds.forEach(({ letter, from, to }, n) => {
          const ratio = (map.outputAt(asSource(to * RATE)) - map.outputAt(asSource(from * RATE))) / ((to - from) * RATE)
          if (VOWELS.includes(letter)) ratios.vowels.push(ratio)
          else if (CONSONANTS.includes(letter)) ratios.consonants.push(ratio)
          else if (letter === '_' && pausesFrom(n)) ratios.pauses.push(ratio)
        })
      }
      const mean = (values: number[]) =>
        Math.exp(values.reduce((sum, value) => sum + Math.log(value), 0) / values.length)
      const [vowels, consonants, pauses] = [ratios.vowels, ratios.consonants, ratios.pauses].map(mean) as [
        number,
        number,
        number,
      ]
      // in powers of the stretch: 1 is as if all were stretched alike
      const power = (ratio: number) => Math.log(ratio) / Math.log(stretch)
      expect(power(consonants)).toBeLessThan(0.5)
      expect(power(vowels)).toBeGreaterThan(1)
      expect(power(pauses)).toBeGreaterThan(1)
    },
  )

  it('does half of that at 50 %, and nothing at 0', () => {
    const { giving, seconds } = all[0] as (typeof all)[number]
    const spread = (percent: number) => {
      const speeds = pacedSpeed(giving, seconds, 2, percent).map((point) => Math.log(point.percent))
      return speeds.length > 0 ? Math.max(...speeds) - Math.min(...speeds) : 0
    }
    expect(spread(0)).toBe(0)
    expect(spread(50) / spread(100)).toBeGreaterThan(0.35)
    expect(spread(50) / spread(100)).toBeLessThan(0.65)
    expect(pacedSpeed(giving, seconds, 1, 100)).toEqual([])
  })

  it('is a curve that holds, as long as the sound, for any sound and stretch', () => {
    const random = createRandom(5)
    for (let n = 0; n < 60; n++) {
      const steps = Math.floor(2 + 8000 * random() ** 3)
      const giving: Giving = {
        stepSeconds: 0.01,
        // sudden, slow, and what is known of less than all of it
        percent: Array.from({ length: Math.floor(steps * (0.5 + 0.6 * random())) }, (_, i) =>
          Math.round(n % 3 ? 100 * random() : 50 + 50 * Math.sin(i / 40)),
        ),
      }
      const seconds = steps * 0.01 + 0.004
      const stretch = 0.1 * 10 ** (4 * random())
      const points = pacedSpeed(giving, seconds, stretch, 100 * random())
      expect(points.length).toBeLessThanOrEqual(MOST_SPEED_POINTS)
      expect(points.every(({ percent }) => percent >= SPEED_RANGE.min && percent <= SPEED_RANGE.max)).toBe(true)
      // each point lies on a whole frame
      const frames = Math.floor(seconds * RATE)
      expect(Math.abs(speedMap({ points }, frames, RATE).length / frames - 1)).toBeLessThan(3e-3)
    }
  })

  it('keeps attacks nearly as long as they were', () => {
    const { audio, giving, seconds, attacks } = all[2] as (typeof all)[number]
    const asked = recipe('splice', { stretch: 3, speedCurve: { points: pacedSpeed(giving, seconds, 3, 100) } })
    const { map } = planOf(asked, { frames: frameCount(audio), sampleRate: RATE })
    const own = attacks.map((at) => {
      const soundsAt = (seconds: number): number => map.outputAt(asSource(seconds * RATE))
      return (soundsAt(at + 0.02) - soundsAt(at - 0.005)) / (0.025 * RATE)
    })
    expect(own.sort((a, b) => a - b)[own.length >> 1]).toBeLessThan(1.35)
    expect(renderBlock(audio, asked).channels[0]?.length).toBe(map.outputFrames)
  })
})
