import {
  ALL_NEEDS,
  analyseTask,
  contradictionsOf,
  contradictionsOfAdvice,
  finish,
  methods,
  planOf,
  readSource,
  soundSource,
  type Tried,
  tellingSpan,
  traitsOf,
  trialTask,
} from '../core'
import { demoMakers } from '../core/demo/sounds'
import { recipe } from '../core/testing/recipes'

/** Verdict, marks, grades, sweep and advice are held against one another, over all demo sounds. */

const TARGETS = [
  [0.5, 0],
  [0.8, 0],
  [1.25, 0],
  [2, 0],
  [10, 0],
  [1, -5],
  [1, 5],
] as const
const TRIED_SECONDS = 8

export function printAgreement(wanted: readonly string[] | undefined) {
  console.log('# Contradictions between verdict, marks, scorecard, sweep and advice\n')
  console.log('| sound | results | contradictions |\n| --- | --- | --- |')
  let results = 0
  const all: string[] = []
  for (const [name, make] of Object.entries(demoMakers)) {
    if (wanted && !wanted.includes(name)) continue
    const { audio } = make()
    const source = soundSource(audio)
    const known = finish(analyseTask(audio, ALL_NEEDS))
    const attacks = (known.attacks ?? []).map(({ frame }) => frame)
    const traits = traitsOf(source)
    const reading = finish(readSource(audio, known.attacks))
    const own: string[] = []
    let count = 0
    for (const [stretch, semitones] of TARGETS) {
      const tried: Tried[] = methods.map(({ id }) => {
        const made = recipe(id, { stretch, pitchSemitones: semitones, formants: 'move' })
        const { map } = planOf(made, source, known.attacks)
        const span = tellingSpan(source, map, attacks, TRIED_SECONDS, () => traits)
        return { methodId: id, trial: finish(trialTask(source, made, span, known, reading)) }
      })
      for (const { methodId, trial } of tried) {
        count++
        for (const text of contradictionsOf(trial, source.sampleRate))
          own.push(`${name} ${methodId} ${stretch} × ${semitones} st: ${text}`)
      }
      own.push(...contradictionsOfAdvice(tried).map((text) => `${name} ${stretch} × ${semitones} st: ${text}`))
    }
    console.log(`| ${name} | ${count} | ${own.length} |`)
    results += count
    all.push(...own)
  }
  console.log(`\n**${all.length}** in ${results} results.`)
  for (const text of all) console.log(`- ${text}`)
  return all.length
}
