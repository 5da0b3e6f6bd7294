import type { AudioBlock } from '../audio/block'
import { addRoom, burst, createMix, normalise, place, RATE, struck } from './instruments'

/**
 * The museum's wall clock, filmed: a pendulum swings, a hand goes from second to second, a shutter under the dial opens
 * and closes. What is seen and what is heard come from the same times. Picture and sound are joined by
 * `scripts/film.mjs`.
 */

export const WALL_CLOCK = { seconds: 12, rate: 25, width: 320, height: 180, opens: 3, closes: 9 } as const

/** how long the shutter takes, s */
const SHUTTER_SECONDS = 0.4
/** of the lamps at the bottom, which tell each picture by its number */
const LAMPS = 9

const clamp = (value: number) => Math.min(1, Math.max(0, value))

/** What is seen at a picture, counted from 0: turns of the hands and the pendulum, how far the shutter is open. */
export function wallClockAt(picture: number) {
  const seconds = picture / WALL_CLOCK.rate
  const sinceTick = seconds % 1
  return {
    /** a full turn is 1; the hand springs a little past its second */
    hand: (Math.floor(seconds) + 1 - Math.exp(-sinceTick / 0.05) * Math.cos(40 * sinceTick)) / 60,
    minutes: 0.9 + seconds / 3600,
    /** degrees */
    pendulum: 12 * Math.cos(Math.PI * seconds),
    shutter:
      clamp((seconds - WALL_CLOCK.opens) / SHUTTER_SECONDS) - clamp((seconds - WALL_CLOCK.closes) / SHUTTER_SECONDS),
    lamps: Array.from({ length: LAMPS }, (_, n) => ((picture >> n) & 1) === 1),
  }
}

/** What is heard: a tick and a tock every second, the shutter, a stroke of the bell before the end. */
export function wallClockSound(): AudioBlock {
  const mix = createMix(WALL_CLOCK.seconds, 1201)
  for (let n = 0; n < WALL_CLOCK.seconds; n++) {
    const hz = n % 2 === 0 ? 2400 : 1900
    place(mix, burst(mix.random, { seconds: 0.08, hz, q: 5, decay: 0.01 }), n + 0.0, n % 2 === 0 ? 0.8 : 0.6, 0.1, 0.1)
  }
  const clack = (hz: number) =>
    struck(mix.random, {
      seconds: 0.5,
      thump: 1.6,
      modes: [
        { hz, level: 1, decay: 0.07 },
        { hz: hz * 2.3, level: 0.5, decay: 0.04 },
      ],
    })
  place(mix, clack(150), WALL_CLOCK.opens, 1, -0.2, 0.2)
  place(mix, clack(130), WALL_CLOCK.closes, 1, -0.2, 0.2)
  const bell = struck(mix.random, {
    seconds: 1.2,
    thump: 0.3,
    modes: [
      { hz: 660, level: 0.7, decay: 0.7 },
      { hz: 1320, level: 0.4, decay: 0.5 },
      { hz: 1776, level: 0.3, decay: 0.3 },
    ],
  })
  place(mix, bell, 10.5, 0.8, 0, 0.3)
  addRoom(mix, { seconds: 0.7, level: 0.25 })
  normalise(mix, 0.7)
  return { sampleRate: RATE, channels: [mix.left, mix.right] }
}
