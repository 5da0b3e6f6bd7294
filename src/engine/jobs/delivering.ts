/** Making the wanted file of a draft. */

import { AppError, channelsFor, containers, deliverTask, NO_MARKERS, ofLength } from '../../core'
import { createSoundWriter } from '../../host/encode/createSoundWriter'
import { layoutOf } from '../../host/encode/layout'
import { openPcmFile } from '../../host/pcmFile'
import { runTask } from '../../host/runTask'
import type { Job, JobResults } from '../jobProtocol'
import { openScratch } from '../scratch'
import { bytesOf } from '../sound'
import type { JobOptions as Options } from './options'

export async function deliver(
  { draft, delivery, said, frames, folder }: Extract<Job, { kind: 'deliver' }>,
  options: Options,
): Promise<JobResults['deliver']> {
  const scratch = await openScratch(folder)
  try {
    const pcm = openPcmFile(bytesOf(draft, 'draft.wav'), 'draft.wav')
    if (!pcm) throw new AppError('audio/unreadable', { file: 'draft.wav', why: 'it is no WAV file' })
    const whole = channelsFor(pcm.source, delivery)
    const source = frames === undefined ? whole : ofLength(whole, frames)
    const markers = said.markers === 'keep' ? pcm.markers : NO_MARKERS
    const cut = source.frames
    const kept = {
      ...markers,
      cues: markers.cues.filter(({ frame }) => frame <= cut),
      loops: markers.loops.filter(({ endFrame }) => endFrame <= cut),
    }
    const layout = layoutOf(delivery, source, { ...said, markers: kept })
    const writer = await createSoundWriter(delivery.container, layout)
    const { header, ...facts } = await runTask(deliverTask(source, delivery, writer, scratch.write), options)
    const body = await scratch.finish()
    return {
      blob: new Blob([header, body], { type: containers[delivery.container].mime }),
      facts: { ...facts, frames: source.frames, rate: source.sampleRate, channels: source.channelCount },
    }
  } catch (error) {
    await scratch.discard()
    throw error
  }
}
