import type { Analysis, Arrangement } from '../../../core'
import { type Job, type JobResults, type Sound, scratchFolder } from '../../../engine'
import type { Source } from '../../../session'
import { analysisOf } from '../know/analyses'
import { pool, shelf } from '../state/engine'
import { store } from '../state/store'
import { openedFor, usedSources } from './mixing'

/** What lies on the timeline, written as files. */

const { getState } = store

type MixSounds = Record<string, { readonly sound: Sound; readonly analysis: Analysis }>

/** The sound of a part: the one that is open, else it is opened. */
export const soundFor = async (source: Source): Promise<Sound> => openedFor(source) ?? (await shelf.open(source))

/** All sounds of the timeline, with what the methods of their parts need. */
export async function gathered(arrangement: Arrangement): Promise<MixSounds> {
  const sounds: MixSounds = {}
  for (const source of usedSources(getState().history.present)) {
    const sound = await soundFor(source)
    let analysis = {}
    for (const { recipe } of arrangement.parts.filter((part) => part.source === source.id))
      analysis = { ...analysis, ...(await analysisOf(source, sound, recipe)) }
    sounds[source.id] = { sound, analysis }
  }
  return sounds
}

/** Write what lies on a timeline, or some of it, as one WAV file. @throws what the work failed by. */
export const writeMix = (
  mix: Omit<Extract<Job, { kind: 'mix' }>, 'kind' | 'folder'>,
  signal: AbortSignal,
  show: (progress: number) => void,
): Promise<JobResults['mix']> =>
  pool.run<'mix'>(
    { kind: 'mix', ...mix, folder: mix.order.to * 8 > 2 ** 26 ? scratchFolder() : undefined },
    { signal, rank: 0, onProgress: ({ doneFrames, totalFrames }) => show(doneFrames / totalFrames) },
  )
