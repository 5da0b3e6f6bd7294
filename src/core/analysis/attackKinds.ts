import { type AudioBlock, frameCount, meanPower } from '../audio/block'

/**
 * What an attack brings: `struck` dies away, as a drum's blow; `ringing` is struck as well, but what it set going rings
 * on, as a bell; `held` stays, as a bowed or sung note.
 */
export type AttackKind = 'struck' | 'ringing' | 'held'

/** a blow brings at least this much over what was there, in power, and leaves no more than this of it a moment later */
const BROUGHT_FROM = 0.5
const STRUCK_BELOW = 0.35
const BLOW_SECONDS = 0.02
const LATER_SECONDS = 0.1
const MUCH_LATER_SECONDS = 0.14
/** and what rings on still has this much of it even later */
const RINGS_FROM = 0.1
const EVEN_LATER_SECONDS = 0.25
const LAST_SECONDS = 0.3

/** Of an attack and the one behind it. */
interface Pair {
  readonly attack: number
  readonly next: number
}

const pairsOf = (source: AudioBlock, attacks: readonly number[]): Pair[] =>
  attacks.map((attack, i) => ({ attack, next: attacks[i + 1] ?? frameCount(source) }))

function kindOf(source: AudioBlock, { attack, next }: Pair): AttackKind {
  const frames = (seconds: number) => Math.round(seconds * source.sampleRate)
  const gap = next - attack
  const power = (from: number, to: number, rises: boolean) => meanPower(source, attack + from, attack + to, rises)
  // a hat shows beside a chord in the difference of neighbouring samples
  const before = power(-frames(BLOW_SECONDS), 0, true)
  const brought = power(0, frames(BLOW_SECONDS), true) - before
  const later = Math.min(frames(LATER_SECONDS), Math.round(0.6 * gap))
  const left = power(later, Math.min(frames(MUCH_LATER_SECONDS), gap), true) - before
  if (brought <= BROUGHT_FROM * before || left >= STRUCK_BELOW * brought) return 'held'
  if (gap < frames(LAST_SECONDS)) return 'struck'
  const under = power(-frames(BLOW_SECONDS), 0, false)
  const rings = power(frames(EVEN_LATER_SECONDS), frames(LAST_SECONDS), false) - under
  return rings > RINGS_FROM * (power(0, 2 * frames(BLOW_SECONDS), false) - under) ? 'ringing' : 'struck'
}

/** What was looked at of a source's attacks: each again and again, by every voice of it. */
const looked = new WeakMap<AudioBlock, Map<string, AttackKind>>()
const keyOf = ({ attack, next }: Pair) => `${attack} ${next}`

function kindAgain(source: AudioBlock, pair: Pair): AttackKind {
  const known = looked.get(source) ?? new Map<string, AttackKind>()
  looked.set(source, known)
  const kind = known.get(keyOf(pair)) ?? kindOf(source, pair)
  known.set(keyOf(pair), kind)
  return kind
}

/** The kind of each attack. @param attacks  source frames, rising. */
export const attackKinds = (source: AudioBlock, attacks: readonly number[]): AttackKind[] =>
  pairsOf(source, attacks).map((pair) => kindAgain(source, pair))

/** so many attacks are looked at in a millisecond or two */
const ATTACKS_AT_ONCE = 16

/** Looks at attacks in short steps, so that `attackKinds` finds them; undefined where few are left to look at. */
export function prepareAttackKinds(source: AudioBlock, attacks: readonly number[]): Generator<void> | undefined {
  const unknown = pairsOf(source, attacks).filter((pair) => !looked.get(source)?.has(keyOf(pair)))
  return unknown.length > 4 * ATTACKS_AT_ONCE ? lookAt(source, unknown) : undefined
}

function* lookAt(source: AudioBlock, pairs: readonly Pair[]): Generator<void> {
  for (const [i, pair] of pairs.entries()) {
    kindAgain(source, pair)
    if (i % ATTACKS_AT_ONCE === 0) yield
  }
}
