import { createRandom } from '../dsp/random'
import { done, IDEAL_RATE, type IdealItem, type Playing, tape } from './instruments'
import { drawnItem, type ScoreKind } from './scores'

/**
 * Programmes that are made up: a voice, a loop and a bed, one after the other. Each runs some way into the next. What
 * suits one of them harms another, so that it takes several methods. For tests and tables only.
 */

const ORDERS: readonly (readonly ScoreKind[])[] = [
  ['voice', 'beat', 'pad'],
  ['pad', 'voice', 'beat'],
  ['beat', 'pad', 'voice'],
  ['voice', 'mix', 'pad'],
  ['bell', 'knocks', 'voice'],
  ['cry', 'beat', 'pad'],
]
const SECONDS = 3.2

/** The programme that is drawn with a number: the same whenever it is. */
export function drawnProgramme(number: number): IdealItem {
  const random = createRandom(104_729 * number + 7)
  const order = ORDERS[number % ORDERS.length] as readonly ScoreKind[]
  const items = order.map((kind, n) => drawnItem(kind, 3 * number + n + 100))
  const starts: number[] = []
  let at = 0
  for (const _ of items) {
    starts.push(at)
    at += SECONDS - (0.15 + 0.45 * random())
  }
  const seconds = (starts.at(-1) as number) + SECONDS
  return {
    id: `programme ${number}`,
    kind: 'mix',
    play(playing: Playing) {
      const to = tape(seconds * playing.stretch)
      const attacks: number[] = []
      items.forEach((item, n) => {
        const start = (starts[n] as number) * playing.stretch
        const played = item.play({ ...playing, seed: playing.seed + 31 * n })
        const offset = Math.round(start * IDEAL_RATE)
        for (const [c, channel] of [to.left, to.right].entries()) {
          const own = played.audio.channels[c] as Float32Array
          for (let i = 0; i < own.length && offset + i < channel.length; i++)
            channel[offset + i] = (channel[offset + i] as number) + (own[i] as number)
        }
        attacks.push(...played.attacks.map((time) => start + time))
      })
      return { audio: done(to), attacks: attacks.sort((a, b) => a - b) }
    },
  }
}
