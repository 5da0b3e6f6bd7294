import { AppError, containers, type Delivery } from '../core'
import { type DeliveredFacts, openDelivery, type Said } from '../host/encode/delivering'
import { errorText } from '../host/errorText'
import { formatName, openBytes } from './files'
import type { Terminal } from './terminal'

/** What came of a file. */
export interface DeliveredFile extends DeliveredFacts {
  readonly bytes: number
}

/**
 * Make the wanted file of a draft.
 * @param sink  takes bytes, at a place of the file or behind what came last.
 */
export async function deliverDraft(
  draft: string,
  delivery: Delivery,
  said: Said,
  sink: { write(bytes: Uint8Array, at?: number): void },
  show: (share: number) => void = () => undefined,
): Promise<DeliveredFile> {
  const file = openBytes(draft)
  try {
    const opened = await openDelivery(file, delivery, said)
    let bytes = opened.headerBytes
    sink.write(new Uint8Array(bytes), 0)
    const { header, facts } = await opened.make(
      (part) => {
        sink.write(part, bytes)
        bytes += part.length
      },
      { onProgress: ({ doneFrames, totalFrames }) => show(doneFrames / Math.max(1, totalFrames)) },
    )
    sink.write(header, 0)
    return { ...facts, bytes }
  } finally {
    file.close()
  }
}

/** How a file holds its sound, in words. */
export const deliveryName = ({ container, depth, kbps }: Delivery) => {
  const { label, exact, kbps: usual } = containers[container]
  if (container === 'wav') return formatName(depth)
  return exact ? `${label} ${depth === '16' ? '16' : '24'} bits` : `${label} ${kbps ?? usual?.usual} kbit/s`
}

/** What was done to its level, in words; nothing where nothing was. */
export function levelText({ level }: DeliveredFacts): string {
  if (!level) return ''
  const { after, heldDb } = level
  const lufs = Number.isFinite(after.lufs) ? `, ${after.lufs.toFixed(1)} LUFS` : ', silent'
  return `${lufs}, peak ${after.peakDb.toFixed(2)} dBTP${heldDb > 0.05 ? `, peaks held back by up to ${heldDb.toFixed(1)} dB` : ''}`
}

/** Tell what came out otherwise than it was asked for. */
export function tellDelivered(file: string, { level }: DeliveredFacts, delivery: Delivery, err: Terminal['err']) {
  const wanted = delivery.level
  if (level && wanted.kind === 'loudness') {
    if (!Number.isFinite(level.before.lufs)) err(`zumbet: ${errorText(new AppError('export/silent', { file }))}`)
    else if (Math.abs(level.after.lufs - wanted.lufs) > 0.1)
      err(
        `zumbet: ${file}: ${level.after.lufs.toFixed(1)} LUFS is as near to ${wanted.lufs} as it can be brought below ${wanted.ceilingDb} dBTP.`,
      )
  }
}
