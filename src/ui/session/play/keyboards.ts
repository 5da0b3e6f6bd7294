import { KEYS_ID } from '../../../session'
import { selectedSource, store } from '../state/store'
import { bendSpeed, wheelPlace } from './hand'
import { letGo, strike } from './hands'

/** Keyboards and pads that are connected; and one that is simulated, for who has none. */

const SUSTAIN = 64
const WHEEL = 1
/** pads of most devices lie on this channel, from this key on */
const PAD_CHANNEL = 9
const FIRST_PAD = 36

/** keys that are let go while the pedal is down, by channel */
const hanging = new Map<number, Set<string>>()
const pedals = new Set<number>()

/** What a device says, three bytes at most. */
export function heedMessage(device: string, [status = 0, first = 0, second = 0]: Uint8Array | readonly number[]) {
  const [kind, channel] = [status >> 4, status & 15]
  const by = `${device} ${channel} ${first}`
  if (kind === 9 && second > 0) {
    hanging.get(channel)?.delete(by)
    const velocity = second / 127
    if (channel === PAD_CHANNEL) {
      const pick = store.getState().history.present.picks[first - FIRST_PAD]
      if (pick) strike(by, pick.id, undefined, velocity)
    } else strike(by, KEYS_ID, first, velocity)
  } else if (kind === 8 || kind === 9) {
    if (!pedals.has(channel)) letGo(by)
    else hanging.set(channel, (hanging.get(channel) ?? new Set()).add(by))
  } else if (kind === 11 && first === SUSTAIN) {
    if (second >= 64) pedals.add(channel)
    else {
      pedals.delete(channel)
      for (const held of hanging.get(channel) ?? []) letGo(held)
      hanging.delete(channel)
    }
  } else if (kind === 11 && first === WHEEL) {
    const state = store.getState()
    const source = selectedSource(state)
    if (source && state.outlook.hand.on) wheelPlace(source, second / 127)
  } else if (kind === 14) {
    const bent = (first + 128 * second - BEND_MIDDLE) / BEND_MIDDLE
    bendSpeed(Math.abs(bent) < BEND_REST ? 0 : bent)
  }
}

/** a bend wheel in its middle, and how far it may be off while it rests */
const BEND_MIDDLE = 8192
const BEND_REST = 0.01

const SIMULATED = 'simulated keyboard'

/** Let whatever is connected play; undone by what is returned. */
export function connectKeyboards(onNames: (names: readonly string[]) => void): () => void {
  let closed = false
  let access: MIDIAccess | undefined
  const simulated = new URLSearchParams(location.search).has('keyboard')
  const names = () => [
    ...[...(access?.inputs.values() ?? [])].map((input) => input.name ?? 'keyboard'),
    ...(simulated ? [SIMULATED] : []),
  ]
  const listen = () => {
    if (closed) return
    for (const input of access?.inputs.values() ?? [])
      input.onmidimessage = ({ data }) => {
        if (data) heedMessage(input.id, data)
      }
    onNames(names())
  }
  // whoever has no keyboard sends what one would send
  if (simulated)
    Object.assign(globalThis, { zumbetKeyboard: (bytes: readonly number[]) => heedMessage(SIMULATED, bytes) })
  onNames(names())
  // a browser without, or a person who says no, has the computer's keys
  navigator
    .requestMIDIAccess?.()
    .then((given) => {
      access = given
      given.onstatechange = listen
      listen()
    })
    .catch(() => undefined)
  return () => {
    closed = true
    for (const input of access?.inputs.values() ?? []) input.onmidimessage = null
  }
}
