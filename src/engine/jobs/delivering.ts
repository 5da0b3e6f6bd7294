/** Making the wanted file of a draft. */

import { containers } from '../../core'
import { openDelivery } from '../../host/encode/delivering'
import type { Job, JobResults } from '../jobProtocol'
import { inScratch } from '../scratch'
import { bytesOf } from '../sound'
import type { JobOptions as Options } from './options'

export async function deliver(
  { draft, delivery, said, frames, folder }: Extract<Job, { kind: 'deliver' }>,
  options: Options,
): Promise<JobResults['deliver']> {
  const opened = await openDelivery(bytesOf(draft, 'draft.wav'), delivery, said, frames)
  const { blob, facts } = await inScratch(folder, (write) => opened.make(write, options))
  return { blob: new Blob([facts.header, blob], { type: containers[delivery.container].mime }), facts: facts.facts }
}
