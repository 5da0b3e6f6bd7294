import { once } from 'node:events'
import { closeSync, openSync } from 'node:fs'
import { parentPort, Worker, workerData } from 'node:worker_threads'
import {
  AppError,
  type AudioBlock,
  type ExportOrder,
  type ExportPlan,
  exportPieceTask,
  finish,
  type PieceFacts,
  type SoundSource,
} from '../core'
import { fromWire, toWire, type WireError } from '../host/errorWire'
import { type OpenSound, openWavFile, shared, sourceOf, unwritable, writeAll } from './files'

/** All that a thread needs to write any piece of a file to its place. */
export interface Work {
  readonly source: AudioBlock | SoundSource
  readonly order: ExportOrder
  readonly plan: ExportPlan
  /** the file as it is being written, and as it will be called */
  readonly place: string
  readonly target: string
}

type Answer = { readonly made: PieceFacts } | { readonly failed: WireError }

/**
 * Render the pieces of a plan into a file, each to where it belongs, in so many threads at once; the file is the same for any number.
 * What a piece comes to goes out block by block: none lies in memory whole.
 */
export async function makePieces(
  sound: OpenSound,
  own: Omit<Work, 'source'>,
  threads: number,
  apart = false,
): Promise<PieceFacts[]> {
  const { plan } = own
  const count = Math.min(threads, plan.pieces.length)
  if (count < 2 && !apart) return plan.pieces.map((_, piece) => makePiece({ ...own, source: sourceOf(sound) }, piece))
  // a file is opened by every thread for itself
  const sent = 'audio' in sound ? { audio: shared(sound.audio) } : { wavFile: sound.wavFile }
  const work = { ...own, sound: sent }
  const made: PieceFacts[] = []
  let next = 0
  const workers = Array.from({ length: count }, () => new Worker(new URL(import.meta.url), { workerData: work }))
  try {
    await Promise.all(
      workers.map(async (worker) => {
        while (next < plan.pieces.length) {
          const piece = next++
          made[piece] = await ask(worker, piece)
        }
      }),
    )
  } finally {
    await Promise.all(workers.map((worker) => worker.terminate()))
  }
  return made
}

async function ask(worker: Worker, piece: number): Promise<PieceFacts> {
  worker.postMessage(piece)
  // rejects when the thread dies
  const [answer] = (await once(worker, 'message')) as [Answer]
  if ('made' in answer) return answer.made
  throw fromWire(answer.failed)
}

function makePiece({ source, order, plan, place, target }: Work, piece: number): PieceFacts {
  let at = plan.header.length + (plan.pieces[piece] as ExportPlan['pieces'][number]).from * plan.frameBytes
  const fd = openSync(place, 'r+')
  try {
    return finish(
      exportPieceTask(source, order, plan, piece, (bytes) => {
        try {
          writeAll(fd, bytes, at)
        } catch (error) {
          throw unwritable(target, error)
        }
        at += bytes.length
      }),
    )
  } finally {
    closeSync(fd)
  }
}

/** What a thread of this command does: pieces, one after another, as they are asked for. */
export function servePieces() {
  const { sound, ...rest } = workerData as Omit<Work, 'source'> & { sound: { audio: AudioBlock } | { wavFile: string } }
  const source = 'audio' in sound ? sound.audio : openWavFile(sound.wavFile)?.source
  parentPort?.on('message', (piece: number) => {
    let answer: Answer
    try {
      if (!source) throw new AppError('file/missing', { file: 'wavFile' in sound ? sound.wavFile : '' })
      answer = { made: makePiece({ ...rest, source }, piece) }
    } catch (error) {
      answer = { failed: toWire(error) }
    }
    parentPort?.postMessage(answer)
  })
}
