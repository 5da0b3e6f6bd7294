import {
  AppError,
  channelsFor,
  containers,
  type Delivered,
  type Delivery,
  deliverTask,
  type Markers,
  NO_MARKERS,
  type SoundTags,
} from '../core'
import { createSoundWriter } from '../host/encode/createSoundWriter'
import { layoutOf } from '../host/encode/layout'
import { errorText } from '../host/errorText'
import { drive } from './drive'
import { formatName, pcmFileAt } from './files'
import type { Terminal } from './terminal'

/** What a file says beside its sound. */
export interface Said {
  readonly markers: 'keep' | 'drop'
  readonly tags: SoundTags
  readonly seed: number
}

export interface DeliveredFile extends Delivered {
  readonly frames: number
  readonly rate: number
  readonly channels: number
  readonly bytes: number
}

/**
 * Make the wanted file of a draft: a WAV file that holds the result, with its marks at their places.
 * @param sink  takes bytes, at a place of the file or behind what came last.
 */
export async function deliverDraft(
  draft: string,
  delivery: Delivery,
  { markers, tags, seed }: Said,
  sink: { write(bytes: Uint8Array, at?: number): void },
  show: (share: number) => void = () => undefined,
): Promise<DeliveredFile> {
  const pcm = pcmFileAt(draft)
  if (!pcm) throw new AppError('file/missing', { file: draft })
  try {
    const source = channelsFor(pcm.source, delivery)
    const kept: Markers = markers === 'keep' ? pcm.markers : NO_MARKERS
    const layout = layoutOf(delivery, source, { markers: kept, tags, seed })
    const writer = await createSoundWriter(delivery.container, layout)
    let bytes = writer.headerBytes
    sink.write(new Uint8Array(bytes), 0)
    const task = deliverTask(source, delivery, writer, (part) => {
      sink.write(part, bytes)
      bytes += part.length
    })
    const { header, ...facts } = drive(task, show)
    sink.write(header, 0)
    const { frames, sampleRate, channelCount } = source
    return { ...facts, frames, rate: sampleRate, channels: channelCount, bytes }
  } finally {
    pcm.close()
  }
}

/** How a file holds its sound, in words. */
export const deliveryName = ({ container, depth, kbps }: Delivery) => {
  const { label, exact, kbps: usual } = containers[container]
  if (container === 'wav') return formatName(depth)
  return exact ? `${label} ${depth === '16' ? '16' : '24'} bits` : `${label} ${kbps ?? usual?.usual} kbit/s`
}

/** What was done to its level, in words; nothing where nothing was. */
export function levelText({ level }: Delivered): string {
  if (!level) return ''
  const { after, heldDb } = level
  const lufs = Number.isFinite(after.lufs) ? `, ${after.lufs.toFixed(1)} LUFS` : ', silent'
  return `${lufs}, peak ${after.peakDb.toFixed(2)} dBTP${heldDb > 0.05 ? `, peaks held back by up to ${heldDb.toFixed(1)} dB` : ''}`
}

/** Tell what came out otherwise than it was asked for. */
export function tellDelivered(file: string, { level }: Delivered, delivery: Delivery, err: Terminal['err']) {
  const wanted = delivery.level
  if (level && wanted.kind === 'loudness') {
    if (!Number.isFinite(level.before.lufs)) err(`zumbet: ${errorText(new AppError('export/silent', { file }))}`)
    else if (Math.abs(level.after.lufs - wanted.lufs) > 0.1)
      err(
        `zumbet: ${file}: ${level.after.lufs.toFixed(1)} LUFS is as near to ${wanted.lufs} as it can be brought below ${wanted.ceilingDb} dBTP.`,
      )
  }
}
