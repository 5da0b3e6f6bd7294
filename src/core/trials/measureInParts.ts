import type { Attack } from '../analysis/attacks'
import type { SoundSource } from '../audio/soundSource'
import { type Artefact, unmeasured } from '../measure/artefacts'
import type { Measurement } from '../measure/measure'
import { planOf } from '../render/openVoice'
import type { Recipe } from '../render/recipe'
import type { Task } from '../task'
import { measureSpan } from './trial'

/** result on either side of a part, so that its ends do not look cut */
const MARGIN_SECONDS = 0.2

/**
 * A long result is measured in parts, read as its source is: neither lies in memory as a whole. Counts are added up.
 * Other figures are means over the parts by their length; largest values are the largest of all.
 * @param result  as long as its recipe says, at least. What is behind that is left alone.
 * @param partSeconds  of the result.
 * @param attacks  of the source, where they are known.
 */
export function* measureInParts(
  source: SoundSource,
  result: SoundSource,
  recipe: Recipe,
  partSeconds: number,
  attacks?: readonly Attack[],
): Task<Measurement> {
  const { sampleRate } = source
  const frames = Math.min(result.frames, planOf(recipe, source, attacks).map.outputFrames)
  const count = Math.max(1, Math.ceil(frames / (partSeconds * sampleRate)))
  const margin = Math.round(MARGIN_SECONDS * sampleRate)
  const made: { readonly measurement: Measurement; readonly frames: number }[] = []
  for (let n = 0; n < count; n++) {
    const span = { from: Math.round((n * frames) / count), to: Math.round(((n + 1) * frames) / count) }
    const from = Math.max(0, span.from - margin)
    const audio = result.part(from, Math.min(frames, span.to + margin))
    const task = measureSpan(source, { audio, from }, recipe, span, attacks)
    for (;;) {
      const step = task.next()
      if (step.done) {
        made.push({ measurement: step.value, frames: span.to - span.from })
        break
      }
      const share = step.value.doneFrames / Math.max(1, step.value.totalFrames)
      yield { doneFrames: Math.round(span.from + share * (span.to - span.from)), totalFrames: frames }
    }
  }
  return joined(made)
}

function joined(made: readonly { readonly measurement: Measurement; readonly frames: number }[]): Measurement {
  const [first] = made
  if (!first) throw new RangeError('measureInParts: there is no part')
  if (made.length === 1) return first.measurement
  const all = made.reduce((sum, { frames }) => sum + frames, 0)
  return {
    unlikenessDb: made.reduce((sum, { measurement, frames }) => sum + measurement.unlikenessDb * frames, 0) / all,
    artefacts: first.measurement.artefacts.map(({ id }, i) =>
      joinedArtefact(
        id,
        made.flatMap(({ measurement, frames }) => {
          const artefact = measurement.artefacts[i]
          return artefact?.measured ? [{ artefact, frames }] : []
        }),
      ),
    ),
  }
}

type Weighted = { readonly artefact: Artefact; readonly frames: number }

function joinedArtefact(id: Artefact['id'], of: readonly Weighted[]): Artefact {
  const [first] = of
  if (!first) return unmeasured(id)
  const all = of.reduce((sum, { frames }) => sum + frames, 0)
  const sum = (value: (artefact: Artefact) => number) => of.reduce((total, { artefact }) => total + value(artefact), 0)
  const mean = (value: (artefact: Artefact) => number) =>
    of.reduce((total, { artefact, frames }) => total + value(artefact) * frames, 0) / all
  const part = (name: string) => (artefact: Artefact) => artefact.parts[name] ?? 0
  const parts = Object.fromEntries(
    Object.keys(first.artefact.parts).map((name) => {
      if (name.endsWith('Count')) return [name, sum(part(name))]
      const most = /^(worst|loudest|truePeak)/.test(name)
      return [name, most ? Math.max(...of.map(({ artefact }) => part(name)(artefact))) : mean(part(name))]
    }),
  )
  const places = of.flatMap(({ artefact }) => artefact.places).sort((a, b) => a.sourceFrame - b.sourceFrame)
  return { id, measured: true, value: joinedValue(id, parts, sum, mean), places, parts }
}

function joinedValue(
  id: Artefact['id'],
  parts: Readonly<Record<string, number>>,
  sum: (value: (artefact: Artefact) => number) => number,
  mean: (value: (artefact: Artefact) => number) => number,
): number {
  const own = ({ value }: Artefact) => value
  const counted = parts.lostCount ?? parts.extraCount
  if (counted !== undefined) return (100 * counted) / Math.max(1, parts.attackCount ?? 0)
  if (id === 'clicks') return sum(own)
  // a root of mean squares in each part is one over all of them
  return id === 'slip' ? Math.sqrt(mean(({ value }) => value * value)) : mean(own)
}
