import type { Voice } from '../methods/method'
import { addNote, createEnsemble, type PlayedNote, type Sounding } from './ensemble'
import { HAND_FALL_SECONDS, type PlayedHold, replayHold } from './handRun'
import type { ReadyInstrument } from './instrument'

/** frames that are read at once: whoever plays reads as many, so that a take comes to the same samples */
const BLOCK_FRAMES = 128

export interface Played {
  /** in stereo, to be read from its start on */
  readonly voice: Voice
  /** up to where the last note may sound, frames */
  readonly frames: number
}

/**
 * Notes played by their instruments, as a voice. What sounds together is added up in the order in which it began.
 * @param notes  in any order; those of instruments that are not there are left out.
 * @param rate  Hz of the output, in whose frames the notes are.
 * @param only  the instruments that are heard; the others play along, and take voices from them, in silence.
 * @param holds  places that were led by hand beside them.
 */
export function playedVoice(
  notes: readonly PlayedNote[],
  instruments: ReadonlyMap<string, ReadyInstrument>,
  rate: number,
  { only, holds = [] }: { readonly only?: ReadonlySet<string>; readonly holds?: readonly PlayedHold[] } = {},
): Played {
  const own = notes
    .map((note, n) => ({ ...note, n }))
    .filter(({ instrument }) => instruments.has(instrument))
    .sort((a, b) => a.on - b.on || a.n - b.n)
  const offs = own
    .filter(({ off }) => off !== undefined)
    .sort((a, b) => (a.off as number) - (b.off as number) || a.n - b.n)
  const ensemble = createEnsemble(rate)
  const raw = { left: new Float32Array(BLOCK_FRAMES), right: new Float32Array(BLOCK_FRAMES) }
  const sum = { left: new Float32Array(BLOCK_FRAMES), right: new Float32Array(BLOCK_FRAMES) }
  const hands = [...holds].sort((a, b) => a.on - b.on)
  let [nextOn, nextOff, nextHold] = [0, 0, 0]
  /** what sounds, in the order in which it began: the order of the sum */
  let laid: (Sounding | ReturnType<typeof replayHold>)[] = []
  let done = 0
  let left = 0

  /** The next block, with all that begins or is let go in it. */
  function advance() {
    const end = done + BLOCK_FRAMES
    for (;;) {
      const on = own[nextOn]
      const off = offs[nextOff]
      const onAt = on && on.on < end ? on.on : Number.POSITIVE_INFINITY
      const offAt = off && (off.off as number) < end ? (off.off as number) : Number.POSITIVE_INFINITY
      if (onAt === Number.POSITIVE_INFINITY && offAt === Number.POSITIVE_INFINITY) break
      // a key that is let go and struck at once is let go first
      if (offAt <= onAt && (off as (typeof offs)[number]).on < offAt) {
        ensemble.release((off as (typeof offs)[number]).n, offAt)
        nextOff++
      } else if (on && onAt < Number.POSITIVE_INFINITY) {
        const instrument = instruments.get(on.instrument) as ReadyInstrument
        laid.push(ensemble.begin(on.n, instrument, on.key, ensemble.open(instrument, on.key, on.velocity), on.on))
        nextOn++
      } else {
        ensemble.release((off as (typeof offs)[number]).n, offAt)
        nextOff++
      }
    }
    for (let hold = hands[nextHold]; hold && hold.on < end; hold = hands[++nextHold]) laid.push(replayHold(hold, rate))
    sum.left.fill(0)
    sum.right.fill(0)
    for (const one of laid) {
      if ('run' in one) {
        addNote(one.run, one.read(done), done, sum.left, sum.right, one.gain)
        continue
      }
      if (only && !only.has(one.instrument.order.id)) continue
      one.voice.read(done - one.begins, raw.left, raw.right)
      addNote(one, raw, done, sum.left, sum.right)
    }
    laid = laid.filter((one) => ('run' in one ? one.run.begins + one.run.envelope.end : ensemble.endOf(one)) > end)
    ensemble.sweep(end)
    done = end
    left = BLOCK_FRAMES
  }

  const lasts = [
    ...own.map((note) => lastFrame(note, instruments, rate)),
    ...hands.map(({ on, off, moves }) => (off ?? moves.at(-1)?.at ?? on) + Math.ceil(HAND_FALL_SECONDS * rate) + 1),
  ]
  const frames = lasts.reduce((most, last) => Math.max(most, last), 0)
  return {
    frames,
    voice: {
      read(outputFrame, out) {
        if (outputFrame !== done - left)
          throw new RangeError('playedVoice: it is read from its start on, block by block')
        const count = out[0]?.length ?? 0
        for (let at = 0; at < count; ) {
          if (left === 0) advance()
          const take = Math.min(count - at, left)
          const from = BLOCK_FRAMES - left
          ;(out[0] as Float32Array).set(sum.left.subarray(from, from + take), at)
          ;(out[1] as Float32Array).set(sum.right.subarray(from, from + take), at)
          at += take
          left -= take
        }
      },
    },
  }
}

/** Up to where a note may sound, without opening it. */
function lastFrame(
  { instrument, key, on, off }: PlayedNote,
  instruments: ReadonlyMap<string, ReadyInstrument>,
  rate: number,
): number {
  const { order, cut, source } = instruments.get(instrument) as ReadyInstrument
  const speed = order.length === 'tape' ? 2 ** ((key - order.root) / 12) : 1
  const whole = on + Math.ceil(((cut.to - cut.from) * rate) / source.sampleRate / speed) + 1
  if (off === undefined || order.play === 'through') return whole
  return Math.min(whole, off + Math.ceil((Math.max(8, order.releaseMs) / 1000) * rate) + 1)
}
