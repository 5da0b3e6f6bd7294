import type { Analysis } from '../analysis/analysis'
import type { AudioBlock } from '../audio/block'
import { finish, type Preparing } from '../task'
import { type DrawnFilter, isFlat } from './drawnFilter'
import { filterSteps } from './filtered'
import { attacksLeft, type Prepare, prepareSteps, preparesNothing } from './prepare'

/** What is done to a source before it is stretched, and to the result after. */
export interface Shaping {
  readonly prepare?: Prepare
  readonly filter?: DrawnFilter
}

/** A sound, or a part of one, as methods get it. */
export interface Shaped {
  readonly audio: AudioBlock
  readonly analysis: Analysis
}

const preparing = ({ prepare }: Shaping) => (prepare && !preparesNothing(prepare) ? prepare : undefined)
const filterAt = ({ filter }: Shaping, at: DrawnFilter['at']) =>
  filter && filter.at === at && !isFlat(filter) ? filter : undefined

/** Whether the source itself is changed before it is stretched. */
export const shapesBefore = (shaping: Shaping) =>
  preparing(shaping) !== undefined || filterAt(shaping, 'before') !== undefined
export const filterBehind = (shaping: Shaping) => filterAt(shaping, 'after')

/** What the source needs to be known by for that. */
export const needsAttacks = (shaping: Shaping) => preparing(shaping) !== undefined

interface Kept {
  readonly key: string
  readonly made: Shaped
}

/** voices of one recipe come and go, and two of them may be open at once */
const MOST_KEPT = 3
const kept = new WeakMap<AudioBlock, Kept[]>()
const keyOf = (shaping: Shaping) =>
  JSON.stringify([preparing(shaping), filterAt(shaping, 'before')?.points, shaping.filter?.fineHz])

/** What was shaped before stays for as long as the sound does; undefined where it is not there. */
function shapedBefore({ audio }: Shaped, shaping: Shaping): Shaped | undefined {
  const key = keyOf(shaping)
  return kept.get(audio)?.find((one) => one.key === key)?.made
}

/** A sound as a recipe shapes it before the stretch; itself where it does not. */
export function shapedFor(sound: Shaped, shaping: Shaping): Shaped {
  if (!shapesBefore(shaping)) return sound
  return shapedBefore(sound, shaping) ?? finish(shapeSteps(sound, shaping))
}

/** The same in small steps; undefined where it is there, or nothing has to be done. */
export function shaping(sound: Shaped, by: Shaping): Preparing<Shaped> | undefined {
  return !shapesBefore(by) || shapedBefore(sound, by) ? undefined : shapeSteps(sound, by)
}

function* shapeSteps(sound: Shaped, by: Shaping): Preparing<Shaped> {
  const prepare = preparing(by)
  const filter = filterAt(by, 'before')
  const attacks = sound.analysis.attacks ?? []
  let { audio } = sound
  if (prepare) audio = yield* prepareSteps(audio, attacks, prepare)
  if (filter) audio = yield* filterSteps(audio, filter)
  const { sampleRate } = audio
  const made: Shaped = {
    audio,
    analysis: {
      ...sound.analysis,
      ...(prepare && sound.analysis.attacks && { attacks: attacksLeft(attacks, prepare, sampleRate) }),
    },
  }
  const others = (kept.get(sound.audio) ?? []).slice(1 - MOST_KEPT)
  kept.set(sound.audio, [...others, { key: keyOf(by), made }])
  return made
}
