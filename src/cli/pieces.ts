import { closeSync, openSync } from 'node:fs'
import {
  type AudioBlock,
  type ExportOrder,
  type ExportPlan,
  exportPieceTask,
  type PieceFacts,
  type SoundSource,
} from '../core'
import { drive } from './drive'
import { type OpenSound, openSent, type SentSound, sent, sourceOf, writeAll } from './files'
import { unwritable } from './places'
import { askThreads } from './threads'

/** All that a thread needs to write any piece of a file to its place. */
export interface Work {
  readonly source: AudioBlock | SoundSource
  readonly order: ExportOrder
  readonly plan: ExportPlan
  /** the file as it is being written, and as it will be called */
  readonly place: string
  readonly target: string
}

type Given = Omit<Work, 'source'> & { readonly sound: SentSound }

/**
 * Render the pieces of a plan into a file, each to where it belongs, in so many threads at once; the file is the same for any number.
 * What a piece comes to goes out block by block: none lies in memory whole. `apart`: not even one is made in this thread.
 */
export async function makePieces(
  sound: OpenSound,
  own: Omit<Work, 'source'>,
  threads: number,
  show: (share: number) => void = () => undefined,
  apart = false,
): Promise<PieceFacts[]> {
  const { plan } = own
  const count = Math.min(threads, plan.pieces.length)
  const frames = Math.max(1, plan.pieces.at(-1)?.to ?? 1)
  if (count < 2 && !apart)
    return plan.pieces.map(({ from, to }, piece) =>
      makePiece({ ...own, source: sourceOf(sound) }, piece, (done) => show((from + done * (to - from)) / frames)),
    )
  const pieces = plan.pieces.map((_, piece) => piece)
  const made: PieceFacts[] = []
  const given: Given = { ...own, sound: sent(sound) }
  for await (const facts of askThreads<number, PieceFacts>('pieces', given, pieces, count)) {
    made.push(facts)
    show((plan.pieces[made.length - 1]?.to ?? 0) / frames)
  }
  return made
}

function makePiece(
  { source, order, plan, place, target }: Work,
  piece: number,
  show: (share: number) => void = () => undefined,
): PieceFacts {
  let at = plan.header.length + (plan.pieces[piece] as ExportPlan['pieces'][number]).from * plan.frameBytes
  const fd = openSync(place, 'r+')
  try {
    return drive(
      exportPieceTask(source, order, plan, piece, (bytes) => {
        try {
          writeAll(fd, bytes, at)
        } catch (error) {
          throw unwritable(target, error)
        }
        at += bytes.length
      }),
      show,
    )
  } finally {
    closeSync(fd)
  }
}

/** Pieces, one after another, as they are asked for. */
export function servePieces({ sound, ...rest }: Given) {
  const source = openSent(sound)
  return (piece: number): PieceFacts => makePiece({ ...rest, source }, piece)
}
