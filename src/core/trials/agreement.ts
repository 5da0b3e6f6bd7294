import { artefactKind } from '../measure/artefacts'
import { findingsOf, gradeOfArtefact, heardPlacesOf, isTold, SEVERITY } from '../measure/grading'
import { foundFigureOf, verdictOf } from '../measure/verdict'
import { harmText, NONE_HEARD, rankTrials, reasonOf, type Tried } from './advice'
import { pointSeverity } from './sweep'
import { type Trial, withoutPlaces } from './trial'

/** How the words and figures of one trial contradict one another; empty where they do not. Views show only these. */
export function contradictionsOf(trial: Trial, sampleRate: number): string[] {
  const { measurement } = trial
  const findings = findingsOf(measurement)
  const verdict = verdictOf(measurement, sampleRate)
  const found: string[] = []
  const say = (wrong: boolean, text: string) => wrong && found.push(text)

  const others = findings.filter(({ artefact: { id } }) => id !== 'lost-attacks' && id !== 'extra-attacks')
  const saysNone = /no (other )?harm is audible/i.test(verdict)
  say(
    isTold(measurement) && saysNone !== (others.length === 0),
    `verdict "${verdict}" beside ${others.length} findings`,
  )
  for (const finding of others.slice(0, 4)) {
    const { label } = artefactKind(finding.artefact.id)
    say(!verdict.toLowerCase().includes(`${finding.grade} ${label.toLowerCase()}`), `verdict leaves out ${label}`)
    say(!verdict.includes(foundFigureOf(finding)), `verdict has another figure of ${label}`)
  }
  for (const artefact of measurement.artefacts) {
    const finding = findings.find((one) => one.artefact === artefact)
    const grade = gradeOfArtefact(artefact)
    say((finding?.grade ?? 'not audible') !== grade, `${artefact.id}: finding and scorecard differ`)
    const marks = heardPlacesOf(artefact)
    say(!finding && marks.length > 0, `${artefact.id}: ${marks.length} marks of what is said not to be audible`)
    // a mark may be one grade worse than the whole, and no more
    const steps = ['not audible', 'slight', 'clear', 'severe']
    const worst = Math.max(0, ...marks.map((mark) => steps.indexOf(mark.grade)))
    say(worst > steps.indexOf(grade) + 1, `${artefact.id}: a ${steps[worst]} mark of what is ${grade}`)
    say(
      finding?.local !== undefined && marks.length < finding.local.count,
      `${artefact.id}: fewer marks than places told`,
    )
  }
  const axis = 'length' as const
  const point = { axis, at: 1, methodId: '', measurement, span: trial.span }
  const severity = pointSeverity(point, 'worst')
  say(isTold(measurement) !== (severity !== undefined), 'sweep tells what cannot be told')
  say((severity ?? 0) >= SEVERITY.audible !== findings.length > 0 && isTold(measurement), 'sweep and findings differ')
  const kept = pointSeverity({ ...point, measurement: withoutPlaces(trial).measurement }, 'worst')
  say(kept !== severity, 'sweep grades otherwise once places are let go')
  say(
    (harmText(measurement) === NONE_HEARD) !== (findings.length === 0) && isTold(measurement),
    'a number without a finding',
  )
  return found
}

/** How advice contradicts the findings of what it ranks; empty where it does not. */
export function contradictionsOfAdvice(tried: readonly Tried[]): string[] {
  const ranked = rankTrials(tried)
  const found: string[] = []
  ranked.forEach(({ harm, close, methodId, trial }, n) => {
    const before = ranked[n - 1]
    if (before && before.harm > harm) found.push(`${methodId} is ranked behind more harm`)
    if (before && close && !before.close) found.push(`${methodId} is close behind one that is not`)
    const first = ranked[0]?.trial.measurement
    if (close && first && findingsOf(first).length === 0 && findingsOf(trial.measurement).length > 0)
      found.push(`${methodId} is close to one without harm, and has some`)
    const reason = reasonOf(trial.measurement, ranked[n === 0 ? 1 : 0]?.trial.measurement)
    for (const finding of findingsOf(trial.measurement)) {
      const { label } = artefactKind(finding.artefact.id)
      const at = reason.indexOf(`${label.toLowerCase()} `)
      if (at >= 0 && !reason.includes(foundFigureOf(finding)) && finding.artefact.id !== 'lost-attacks')
        found.push(`${methodId}: reason has another figure of ${label}`)
    }
  })
  return found
}
