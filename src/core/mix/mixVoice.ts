import { silence } from '../audio/block'
import { dbToAmplitude } from '../dsp/units'
import type { Voice } from '../methods/method'
import { openMetre } from '../timeline/metre'
import { openTempo } from '../timeline/tempoLine'
import { addPart } from './addPart'
import { type Arrangement, heardRows } from './arrangement'
import { type LaidPart, layPart, type PartSize } from './layPart'
import type { PartVoice } from './partVoice'

/** Where everything of an arrangement lies, frame by frame. */
export interface LaidMix {
  readonly arrangement: Arrangement
  /** Hz */
  readonly rate: number
  /** in the order in which they are summed: row by row, and in a row as they are given */
  readonly parts: readonly LaidPart[]
  /** the frame at which the last part ends */
  readonly frames: number
}

/**
 * Lay all parts of an arrangement.
 * @param sizeOf  tells the size of a sound; a part whose sound it does not know is left out.
 */
export function layMix(
  arrangement: Arrangement,
  sizeOf: (source: string) => PartSize | undefined,
  rate: number,
): LaidMix {
  const tempo = openTempo(arrangement.tempoLine)
  const metre = openMetre(arrangement.metre)
  const inOrder = arrangement.rows.flatMap((_, row) => arrangement.parts.filter((part) => part.row === row))
  const parts = inOrder.flatMap((part) => {
    const size = sizeOf(part.source)
    const laid = size && layPart(part, size, tempo, metre.barAt(part.startBeat).beatsPerBar, rate)
    return laid ? [laid] : []
  })
  return { arrangement, rate, parts, frames: Math.max(0, ...parts.map(({ to }) => to)) }
}

/** How loud a row is heard, 0 where it is not. */
export function rowGains({ rows }: Arrangement): readonly number[] {
  const heard = heardRows(rows)
  return rows.map(({ gainDb }, row) => (heard[row] ? dbToAmplitude(gainDb) : 0))
}

const CHUNK = 2048

/**
 * The sum of a mix's parts, or of some rows of it, as a voice: stereo, over frames of the mix.
 * Nothing is limited: it may be over full scale.
 * @param rows  the rows that are summed; all that are heard, without.
 */
export function mixVoice(mix: LaidMix, open: (laid: LaidPart) => PartVoice, rows?: readonly number[]): Voice {
  const gains = rowGains(mix.arrangement)
  const summed = mix.parts.filter(({ part: { row } }) => gains[row] !== 0 && (rows?.includes(row) ?? true))
  const voices = new Map<LaidPart, PartVoice>()
  const own = silence(2, CHUNK)
  return {
    read(frame, out) {
      const count = out[0]?.length ?? 0
      for (const channel of out) channel.fill(0)
      for (const laid of summed) {
        if (laid.to <= frame) voices.delete(laid)
        if (laid.to <= frame || laid.from >= frame + count) continue
        const voice = voices.get(laid) ?? open(laid)
        voices.set(laid, voice)
        const end = Math.min(laid.to, frame + count)
        for (let at = Math.max(laid.from, frame); at < end; at += CHUNK) {
          const part = own.map((channel) => channel.subarray(0, Math.min(CHUNK, end - at)))
          voice.read(at, part)
          addPart(out, part, gains[laid.part.row] as number, at - frame)
        }
      }
    },
  }
}

/** A stereo voice with another one over it. */
export function overVoice(voice: Voice, other: Voice): Voice {
  return {
    read(frame, out) {
      voice.read(frame, out)
      const own = silence(2, out[0]?.length ?? 0)
      other.read(frame, own)
      addPart(out, own, 1)
    },
  }
}
