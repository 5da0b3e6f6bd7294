import { openTempo, type TempoLine } from './tempoLine'

/**
 * A tempo line as steps alone, for files that know no ramps: each step has the mean tempo of its beats, so that
 * beats at its ends lie where the line has them.
 * @param per  steps in a beat of a ramp.
 */
export function tempoSteps(line: TempoLine, per = 8): { readonly beat: number; readonly bpm: number }[] {
  const tempo = openTempo(line)
  return line.flatMap((event, n) => {
    const next = line[n + 1]
    const isRamp = next && (event.curve ?? 'step') !== 'step' && next.bpm !== event.bpm
    if (!isRamp) return [{ beat: event.beat, bpm: event.bpm }]
    const count = Math.max(1, Math.ceil((next.beat - event.beat) * per))
    return Array.from({ length: count }, (_, step) => {
      const from = event.beat + (step / count) * (next.beat - event.beat)
      const to = event.beat + ((step + 1) / count) * (next.beat - event.beat)
      return { beat: from, bpm: (60 * (to - from)) / (tempo.secondsAt(to) - tempo.secondsAt(from)) }
    })
  })
}
