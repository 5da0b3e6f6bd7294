import { chanceOfAtLeast, chanceOfPreference, methodText } from '../../../core'
import type { BlindResult, Source } from '../../../session'
import type { BlindRun } from '../state/store'

/** What a finished run comes to; lanes by name, so that it can be read when they are gone. */
export function resultOf(run: BlindRun, source: Source, at: string): BlindResult {
  const nameOf = (id: string) => {
    const variant = source.variants.find((one) => one.id === id)
    return variant ? `${variant.letter} ${methodText(variant)}` : 'Reference'
  }
  const { mode, lanes, answers, grades, places } = run
  const [first = '', second = ''] = lanes
  const base = { at, mode, rounds: mode === 'rank' ? 1 : answers.length }
  if (mode === 'AB') {
    const forFirst = answers.filter((lane) => lane === first).length
    return {
      ...base,
      lanes: [
        { name: nameOf(first), score: forFirst },
        { name: nameOf(second), score: answers.length - forFirst },
      ],
      chance: chanceOfPreference(forFirst, answers.length),
    }
  }
  if (mode === 'ABX') {
    const right = answers.filter((answer) => answer === true).length
    return {
      ...base,
      lanes: [first, second].map((id) => ({ name: nameOf(id), score: right })),
      chance: chanceOfAtLeast(right, answers.length),
    }
  }
  return {
    ...base,
    lanes: places.map((id, i) => ({ name: nameOf(id), score: grades[i] as number })).sort((a, b) => b.score - a.score),
  }
}
