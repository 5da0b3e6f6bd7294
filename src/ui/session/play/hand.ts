import { contentKey, partFacts, type Source } from '../../../session'
import { playback, seek } from '../hear/listening'
import { store } from '../state/store'
import { handOrderOf } from './handOrders'
import { holdTaken } from './takes'

/** The hand on the strip: a place that is held, moved, and let go. Frames of the source. */

let holding = false
let count = 0

/** where the hand went last, when, and how fast it went on from there: source frames, ms, 1 as it was played */
let led = { source: '', rate: 48_000, frames: 0, place: 0, at: 0, speed: 0 }

const ownSpeed = () => store.getState().outlook.hand.speed

export function holdPlace(source: Source, place: number, speed = ownSpeed()) {
  const facts = partFacts(source)
  if (!facts) return
  holding = true
  led = { source: source.id, rate: facts.sampleRate, frames: facts.frames, place, at: performance.now(), speed }
  const own = handOrderOf(source)
  const hold = ++count
  playback.leadByHand({ kind: 'hold', hold, sound: contentKey(source), ...own, gain: 1, place, speed })
  holdTaken(hold, source.id, own.order)
}

export function movePlace(place: number, speed = ownSpeed()) {
  if (!holding) return
  led = { ...led, place, at: performance.now(), speed }
  playback.leadByHand({ kind: 'move', place, speed })
}

/** Where the hand is by now. */
function placeNow(): number {
  const { place, at, speed, rate, frames } = led
  return Math.max(0, Math.min(frames - 1, place + (speed * rate * (performance.now() - at)) / 1000))
}

/** The hand is taken away; where nothing plays, the playhead stays where it was. */
export function letPlaceGo() {
  clearTimeout(rest)
  rest = undefined
  if (!holding) return
  holding = false
  playback.leadByHand({ kind: 'let go' })
  const { playing, outlook } = store.getState()
  if (!playing && outlook.selectedId === led.source) seek(placeNow())
}

/** how long a wheel may rest before it has let go, ms */
const WHEEL_REST_MS = 400
let rest: ReturnType<typeof setTimeout> | undefined

/** A wheel turns by so many source frames: from `first` on where nothing is held. */
export function rollPlace(source: Source, by: number, first: number) {
  if (!holding) holdPlace(source, first)
  movePlace(Math.max(0, Math.min(led.frames - 1, placeNow() + by)))
  clearTimeout(rest)
  rest = setTimeout(letPlaceGo, WHEEL_REST_MS)
}

/** As long as a key is held the place goes on at the hand's speed, or as it was played, forwards or backwards. */
export function runPlace(source: Source, forwards: boolean) {
  const speed = Math.abs(ownSpeed()) || 1
  holdPlace(source, playback.sourceFrame(), forwards ? speed : -speed)
}

/** what of its source the strip shows, source frames: a wheel of a keyboard goes over that */
let shown = { from: 0, to: 0 }
export const setShownPlaces = (from: number, to: number) => {
  shown = { from, to }
}

/** A wheel of a keyboard: 0 lets go, above that it leads over what the strip shows. */
export function wheelPlace(source: Source, turned: number) {
  const place = shown.from + turned * (shown.to - shown.from)
  if (turned <= 0) letPlaceGo()
  else if (holding) movePlace(place)
  else holdPlace(source, place)
}

/** The speed at which a held place goes on: −1 to 1 of twice as fast as it was played. */
export function bendSpeed(bent: number) {
  if (holding) movePlace(placeNow(), bent === 0 ? ownSpeed() : 2 * bent)
}
