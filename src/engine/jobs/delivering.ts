/** Making the wanted file of a draft. */

import { containers } from '../../core'
import { openDelivery } from '../../host/encode/delivering'
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
    const opened = await openDelivery(bytesOf(draft, 'draft.wav'), delivery, said, frames)
    const { header, facts } = await runTask(opened.task(scratch.write), options)
    return { blob: new Blob([header, await scratch.finish()], { type: containers[delivery.container].mime }), facts }
  } catch (error) {
    await scratch.discard()
    throw error
  }
}
