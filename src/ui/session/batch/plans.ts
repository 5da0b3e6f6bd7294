import { AppError, checkRecipe, type Recipe } from '../../../core'
import { errorText } from '../../../host/errorText'
import { type BatchSettings, bpmText, type FilePlan, type OwnWish, planFile, wishOf } from '../../../session'
import { nameOf } from '../files/gather'
import type { FoundFile } from '../state/store'

/** What a batch would do to each listed file, before it runs. */

export interface Planned {
  readonly file: FoundFile
  readonly own: OwnWish
  /** its method is found by trying all */
  readonly advised: boolean
  /** undefined while it is being read, and where it cannot be made */
  readonly plan: FilePlan | undefined
  /** why it cannot be made */
  readonly trouble: string | undefined
}

/** What a file of a batch is made by. */
export const batchRecipe = ({ stretch, semitones, methodId }: Pick<FilePlan, 'stretch' | 'semitones' | 'methodId'>) =>
  ({
    version: 1,
    methodId: methodId ?? 'wsola',
    settings: {},
    seed: 1,
    stretch,
    pitchSemitones: semitones,
    formants: 'move',
    formantSemitones: 0,
  }) satisfies Recipe

const NO_OWN: OwnWish = {}
const known = new WeakMap<FoundFile, { readonly settings: string; readonly own: OwnWish; readonly planned: Planned }>()

/** All listed files as they would be made. A file whose wishes and facts stayed keeps its plan. */
export function plannedFiles(found: readonly FoundFile[], settings: BatchSettings): Planned[] {
  const { own: byFile, ...all } = settings
  const key = JSON.stringify(all)
  return found.map((file) => {
    const own = byFile[file.id] ?? NO_OWN
    const before = known.get(file)
    if (before && before.settings === key && before.own === own) return before.planned
    const planned = plannedOf(file, settings, own)
    known.set(file, { settings: key, own, planned })
    return planned
  })
}

function plannedOf(file: FoundFile, settings: BatchSettings, own: OwnWish): Planned {
  const { advised, ...wish } = wishOf(settings, own)
  const { facts } = file
  if (file.status === 'failed') return { file, own, advised, plan: undefined, trouble: file.error ?? '' }
  if (!facts) return { file, own, advised, plan: undefined, trouble: undefined }
  const { tempo, pitch, material } = facts.knowledge
  try {
    const plan = planFile(
      wish,
      facts,
      { tempo: () => tempo, pitch: () => pitch, material: () => material, hasMaterial: () => true },
      nameOf(file.path),
    )
    checkRecipe(batchRecipe(plan))
    return { file, own, advised: advised && plan.methodId !== undefined, plan, trouble: undefined }
  } catch (error) {
    const trouble =
      error instanceof AppError && error.code === 'batch/no-tempo'
        ? `no clear tempo${tempo.bpm === undefined ? '' : ` (${bpmText(tempo.bpm)}?)`}: type one, or a stretch`
        : errorText(error)
    return { file, own, advised, plan: undefined, trouble }
  }
}
