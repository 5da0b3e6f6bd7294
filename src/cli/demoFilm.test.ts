import { readFileSync } from 'node:fs'
import { expect, it } from 'vitest'
import { frameCount } from '../core'
import { WALL_CLOCK, wallClockSound } from '../core/demo/wallClock'
import { filmSound } from './demoFilm'

it('reads the sound of the demo film at its place, to the frame, and its picture', async () => {
  const { audio, picture } = await filmSound(readFileSync('src/core/demo/wall-clock.webm'))
  const { seconds, width, height, rate } = WALL_CLOCK
  expect(picture).toEqual({ seconds, width, height, rate })
  const made = wallClockSound()
  expect(audio.sampleRate).toBe(made.sampleRate)
  // the last packet is filled up
  expect(frameCount(audio)).toBeGreaterThanOrEqual(frameCount(made))
  expect(frameCount(audio)).toBeLessThan(frameCount(made) + 0.02 * made.sampleRate)
  const [own, want] = [audio.channels[0] as Float32Array, made.channels[0] as Float32Array]
  const likeness = (lag: number) => want.reduce((sum, value, i) => sum + value * (own[i + lag] ?? 0), 0)
  const lags = Array.from({ length: 81 }, (_, n) => n - 40)
  expect(lags.reduce((best, lag) => (likeness(lag) > likeness(best) ? lag : best))).toBe(0)
})
