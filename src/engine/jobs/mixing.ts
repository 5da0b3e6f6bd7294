/** Mixing what lies on a timeline into a file. */

import { clickVoice, layMix, mixTask, mixVoice, openPart, overVoice, type Voice, withRunUp } from '../../core'
import { runTask } from '../../host/runTask'
import type { Job, JobResults } from '../jobProtocol'
import { inScratch } from '../scratch'
import { openSound } from '../sound'
import type { JobOptions as Options } from './options'

export async function mix(
  { arrangement, order, sounds, what, folder }: Extract<Job, { kind: 'mix' }>,
  options: Options,
): Promise<JobResults['mix']> {
  return inScratch(folder, async (write) => {
    const opened = new Map(Object.entries(sounds).map(([id, { sound }]) => [id, openSound(sound)]))
    const laid = layMix(arrangement, (id) => opened.get(id), order.rate)
    const parts = mixVoice(
      laid,
      (part) => {
        const { source } = part.part
        const sound = opened.get(source)
        if (!sound) throw new RangeError(`mix: there is no sound ${source}`)
        return withRunUp(openPart(part, sound, sounds[source]?.analysis ?? {}, order.rate))
      },
      what.rows,
    )
    const voice = what.parts ? parts : silent
    const click = what.clickGain > 0 ? clickVoice(arrangement, order.rate, what.clickGain) : undefined
    const heard = click ? overVoice(voice, click) : voice
    return runTask(mixTask(heard, order, write), options)
  })
}

const silent: Voice = {
  read(_, out) {
    for (const channel of out) channel.fill(0)
  },
}
